import { createHmac } from "node:crypto";
import { expect, type Page, test } from "@playwright/test";
import { api, begin, card, choose, workOn, write } from "./crew";
import { Wire } from "./wire";

// A server on a database in which there is nothing at all.
const wire = new Wire(process.env.RHABDON_NEW_DB);
test.beforeAll(() => wire.open());
test.afterAll(() => wire.close());

const section = (page: Page, title: string) => page.locator("section.card", { has: page.getByRole("heading", { name: title, exact: true }) });
const wrong = (page: Page, title: string) => section(page, title).locator(".ant-form-item-explain-error");

/** What an authenticator shows (RFC 6238: SHA-1, half a minute, six figures), made by the platform's own HMAC. */
function oneTimeCode(base32: string) {
  const bits = [...base32.trim()].map((c) => "ABCDEFGHIJKLMNOPQRSTUVWXYZ234567".indexOf(c).toString(2).padStart(5, "0")).join("");
  const key = Buffer.from((bits.match(/.{8}/g) ?? []).map((b) => Number.parseInt(b, 2)));
  const step = Buffer.alloc(8);
  step.writeBigUInt64BE(BigInt(Math.floor(Date.now() / 30_000)));
  const hash = createHmac("sha1", key).update(step).digest();
  return String((hash.readUInt32BE((hash[19] ?? 0) & 15) & 0x7fffffff) % 1_000_000).padStart(6, "0");
}

test("from the first visit of an empty database to a company, crew, people, a planned job and a batch begun", async ({ page, browser }) => {
  await page.goto(wire.address);
  await page.getByLabel("Company").fill("Stack and Tern");
  await page.getByLabel("Your name").fill("Oona Brack");
  await page.getByLabel("Sign-in name").fill("oona");
  await page.getByLabel("Password", { exact: true }).fill("two gulls on a wire");
  await page.getByRole("button", { name: "Set up" }).click();
  await expect(page.getByRole("heading", { name: "Today" })).toBeVisible();

  // Crews and people; what one form gets wrong shows in that form alone, and goes when it is put right.
  await expect(page.getByText("Three steps to the first connector")).toBeVisible();
  await page.getByRole("button", { name: "Add a crew" }).click();
  await page.getByLabel("Crew name").fill("Puffin crew");
  await page.getByRole("button", { name: "Add crew" }).click();
  await expect(section(page, "Crews").getByRole("listitem")).toHaveText("Puffin crew");
  await page.getByLabel("Crew name").fill("Puffin crew");
  await page.getByRole("button", { name: "Add crew" }).click();
  await expect(wrong(page, "Crews")).toHaveText("There is a crew of this name already.");
  await expect(wrong(page, "Add person")).toHaveCount(0);
  const person = section(page, "Add person");
  await person.getByLabel("Name", { exact: true }).fill("Bryn Sollas");
  await person.getByLabel("Sign-in name").fill("bryn");
  await person.getByLabel("Password", { exact: true }).fill("short");
  await choose(page, "Role", "Crew lead");
  await expect(person.getByText("Puffin crew")).toBeVisible(); // the only one
  await page.getByLabel("Crew", { exact: true }).hover();
  await person.locator(".ant-select-clear").click();
  await person.getByRole("button", { name: "Add person" }).click();
  await expect(wrong(page, "Add person").filter({ hasText: "A password has 10 to 200 characters." })).toBeVisible();
  await expect(wrong(page, "Add person").filter({ hasText: "Installers and leads belong to a crew." })).toBeVisible();
  await expect(wrong(page, "Crews")).toHaveText("There is a crew of this name already.");
  await page.getByLabel("Crew name").fill("Auk crew");
  await page.getByRole("button", { name: "Add crew" }).click();
  await expect(wrong(page, "Crews")).toHaveCount(0);
  await expect(section(page, "Crews").getByRole("listitem")).toHaveCount(2);
  await person.getByLabel("Password", { exact: true }).fill("a slate roof in rain");
  await choose(page, "Crew", "Puffin crew");
  await person.getByRole("button", { name: "Add person" }).click();
  await expect(page.getByRole("row").filter({ hasText: "Bryn Sollas" })).toContainText("Puffin crew");

  // The lead, on a device of their own, plans and begins.
  const lead = await (await browser.newContext()).newPage();
  await lead.goto(wire.address);
  await lead.getByLabel("Sign-in name").fill("bryn");
  await lead.getByLabel("Password", { exact: true }).fill("a slate roof in rain");
  await lead.getByRole("button", { name: "Sign in" }).click();
  await lead.getByRole("button", { name: "New job" }).click();
  await lead.getByLabel("Customer").fill("Stack Point Trust");
  await lead.getByLabel("Site", { exact: true }).fill("Old smokehouse");
  await lead.getByRole("button", { name: "Save job" }).click();
  await expect(lead).toHaveURL(/\/plan\/[0-9a-f-]{36}/);
  await section(lead, "Spaces").getByLabel("Code").fill("SH");
  await section(lead, "Spaces").getByLabel("Name").fill("Smokehouse");
  await lead.getByRole("button", { name: "Add space" }).click();
  await expect(lead.getByText("SH · Smokehouse")).toBeVisible();
  await expect(section(lead, "Panels").getByText("SH", { exact: true })).toBeVisible(); // what was added last comes next
  await section(lead, "Panels").getByLabel("Code").fill("P1");
  await lead.getByRole("button", { name: "Add panel" }).click();
  await expect(lead.getByText("SH-P1 · 24 ports")).toBeVisible();
  const cables = section(lead, "Cables");
  await cables.getByLabel("Code").fill("ROOF-12");
  await cables.getByLabel("Length (m)").fill("60");
  await cables.getByLabel("Slack, side A (mm)").fill("400");
  await cables.getByLabel("Slack, side B (mm)").fill("400");
  await lead.getByRole("button", { name: "Add cable" }).click();
  await choose(lead, "Cable", "ROOF-12");
  await choose(lead, "Panel", "SH-P1");
  await lead.getByLabel("To strand").fill("2");
  await lead.getByRole("button", { name: "Plan these connectors" }).click();
  await expect(lead.getByText("2 connectors planned")).toBeVisible();
  const jobId = new URL(lead.url()).pathname.split("/")[2];
  await lead.goto(`${wire.address}/bench/${jobId}`);
  await begin(lead, 2);
  await expect(card(lead).locator("p.act")).toHaveText("Compare the bag with the cable");
  await expect(lead.getByText("All sent")).toBeVisible();

  // House face limits hold in the proof and by eye, as they do in a picture.
  const house = (await api(page, "/api/limits")).endFace[0];
  Object.assign(house, { id: "smokehouse-faces", title: "Smokehouse", edition: "Smokehouse, first", source: "Our own" });
  await write(page, "POST", "/api/limits/own", { kind: "end-face", yaml: JSON.stringify(house) });
  await lead.reload();
  await workOn(lead, "Prove 2 connectors");
  await expect(card(lead).getByText("Faces are held to Smokehouse, first.")).toBeVisible();
  await card(lead).getByRole("button", { name: "Face clean: strand 1", exact: true }).click();
  await card(lead).getByRole("link", { name: "Findings" }).last().click();
  await lead.getByText("End face, by eye", { exact: true }).click();
  await expect(lead.getByRole("complementary").getByText("Smokehouse, first")).toBeVisible();
  await lead.getByRole("button", { name: "Record this look" }).click();
  await expect(lead.getByText("All sent")).toBeVisible();
  const looks = async () => (await api(lead, `/api/ends?jobId=${jobId}&status=to-measure`)).length;
  await expect.poll(looks).toBe(2);
  for (const { endId } of await api(lead, `/api/ends?jobId=${jobId}&status=to-measure`)) {
    const { entries } = await api(lead, `/api/ends/${endId}/record`);
    expect(entries.find((e: { kind: string }) => e.kind === "inspected").endFace.limitSetId).toBe("smokehouse-faces");
  }

  // All accepted: Today has no open job, says no more than that, and leads to the finished one.
  for (const { endId } of await api(lead, `/api/ends?jobId=${jobId}`)) {
    const { state } = await api(lead, `/api/ends/${endId}`);
    const run = state.attempts[0];
    const { person } = await api(lead, "/api/session");
    const events = ["measured", "measured", "shards-counted", "accepted"].map((kind, i) => ({
      id: crypto.randomUUID().replace(/^(.{14})./, "$17"), endId, attempt: 1, kind, at: new Date().toISOString(), deviceId: run.deviceId, deviceSeq: 10_000 + i, actorId: person.personId,
      body: kind === "measured" ? { runId: run.runId, limitSetId: "tia-568.3-d", fiberClass: "OM3", lengthM: 60, connections: 2, splices: 0, reference: "one-cord", wavelengthNm: [850, 1300][i], referenceDbm: -20, readingDbm: -20.5, repeatabilityDb: 0.05, into: "existing-connector" }
        : kind === "accepted" ? { runId: run.runId } : { runId: run.runId, batchId: run.batchId, made: run.shards, counted: run.shards },
    }));
    const { events: outcomes } = await write(lead, "POST", "/api/ledger", events);
    expect(outcomes.map((o: { outcome: string }) => o.outcome)).toEqual(["stored", "stored", "stored", "stored"]);
  }
  await lead.goto(wire.address);
  await expect(lead.getByText("No open jobs. Plan the next one.")).toBeVisible();
  await lead.getByRole("link", { name: "All jobs" }).click();
  await expect(lead.getByRole("row").filter({ hasText: "Stack Point Trust" })).toContainText("finished");

  // Signed out is signed out: another tab of this device has nothing left.
  const tab = await lead.context().newPage();
  await tab.goto(wire.address);
  await expect(tab.getByText("No open jobs.")).toBeVisible();
  await lead.getByRole("button", { name: /Bryn Sollas/ }).click();
  await lead.getByRole("menuitem", { name: "Sign out" }).click();
  await expect(lead.getByLabel("Sign-in name")).toBeVisible();
  await tab.reload();
  await expect(tab.getByLabel("Sign-in name")).toBeVisible();

  // A lost tablet, another crew, a better name, and goodbye: the office keeps its people.
  await lead.getByLabel("Sign-in name").fill("bryn");
  await lead.getByLabel("Password", { exact: true }).fill("a slate roof in rain");
  await lead.getByRole("button", { name: "Sign in" }).click();
  await expect(lead.getByText("No open jobs.")).toBeVisible();
  await page.reload();
  await page.getByRole("button", { name: "Sign-ins: Bryn Sollas" }).click();
  const watched = page.getByRole("dialog", { name: "Where Bryn Sollas is signed in" });
  await expect(watched.getByRole("row").filter({ hasText: "Chrome" }).first()).toBeVisible();
  await watched.getByRole("button", { name: "End all" }).click();
  await expect(watched.getByText("Nowhere.")).toBeVisible();
  await page.keyboard.press("Escape");
  await lead.reload();
  await expect(lead.getByLabel("Sign-in name")).toBeVisible();
  await page.getByRole("button", { name: "Change: Bryn Sollas" }).click();
  const change = page.getByRole("dialog", { name: "Bryn Sollas: name, crew, role" });
  await change.getByLabel("Name", { exact: true }).fill("Bryn Sollas-Wren");
  await change.getByLabel("Has left: cannot sign in").check();
  await change.getByRole("button", { name: "Save" }).click();
  await expect(page.getByRole("row").filter({ hasText: "Bryn" })).toHaveCount(0);
  await page.getByText("Also those who have left").click();
  await expect(page.getByRole("row").filter({ hasText: "Bryn Sollas-Wren · has left" })).toBeVisible();
  await lead.getByLabel("Sign-in name").fill("bryn");
  await lead.getByLabel("Password", { exact: true }).fill("a slate roof in rain");
  await lead.getByRole("button", { name: "Sign in" }).click();
  await expect(lead.getByText("Name and password do not match.")).toBeVisible();

  // What was done and what was refused stands there for the office.
  await page.getByText("What was done", { exact: true }).click();
  await expect(page.getByRole("row").filter({ hasText: "Refused: signed in" })).toContainText("Bryn Sollas-Wren");
  await choose(page, "What", "changed a person");
  await expect(page.getByRole("row").filter({ hasText: "changed a person" })).toContainText("Bryn Sollas-Wren");
  await expect(page.getByRole("row").filter({ hasText: "signed in" })).toHaveCount(0);

  // A token for a script: shown once, and revoked.
  await page.getByText("Scripts", { exact: true }).click();
  await page.getByLabel("What it is for").fill("Meter at the bench");
  await choose(page, "It may", "record as one of a crew");
  await choose(page, "Crew", "Puffin crew");
  await page.getByRole("button", { name: "Make the token" }).click();
  const token = await page.getByLabel("Token", { exact: true }).inputValue();
  expect(token).toMatch(/^rhabdon_[0-9a-f]{64}$/);
  await page.getByRole("dialog").getByRole("button", { name: "OK" }).click();
  const asked = () => fetch(new URL("/api/crews", page.url()), { headers: { Authorization: `Bearer ${token}` } }).then((r) => r.status);
  expect(await asked()).toBe(200);
  await page.getByRole("button", { name: "Revoke: Meter at the bench" }).click();
  await expect(page.getByText(/^revoked /)).toBeVisible();
  expect(await asked()).toBe(401);

  // One-time codes: on with a code, asked at the next sign-in, off again.
  await page.getByRole("button", { name: /^Oona Brack/ }).click();
  await page.getByRole("menuitem", { name: "Password and sign-ins" }).click();
  const codes = section(page, "One-time codes");
  await codes.getByLabel("Password", { exact: true }).fill("two gulls on a wire");
  await codes.getByRole("button", { name: "Begin" }).click();
  const code = oneTimeCode(await codes.locator(".figures").innerText());
  await codes.getByLabel("Code", { exact: true }).fill("000000");
  await codes.getByRole("button", { name: "Turn on" }).click();
  await expect(codes.getByText(/That code does not fit/)).toBeVisible();
  await codes.getByLabel("Code", { exact: true }).fill(code);
  await codes.getByRole("button", { name: "Turn on" }).click();
  await expect(codes.getByText("Codes for a lost telephone", { exact: true })).toBeVisible();
  const lost = await codes.getByRole("listitem").first().innerText();
  const other = await browser.newPage();
  await other.goto(page.url());
  await other.getByLabel("Sign-in name").fill("oona");
  await other.getByLabel("Password", { exact: true }).fill("two gulls on a wire");
  await other.getByRole("button", { name: "Sign in" }).click();
  await other.getByLabel("Code", { exact: true }).fill(lost);
  await other.getByRole("button", { name: "Sign in" }).click();
  await expect(other.getByText(/9 codes for a lost telephone are left/)).toBeVisible();
  await other.close();
  await codes.getByLabel("Password", { exact: true }).fill("two gulls on a wire");
  await codes.getByRole("button", { name: "Turn off" }).click();
  await expect(codes.getByRole("button", { name: "Begin" })).toBeVisible();
  await page.goto(new URL("/office/people", page.url()).href);

  // One's own password: what is wrong is said beside its field.
  await page.getByRole("button", { name: /^Oona Brack/ }).click();
  await page.getByRole("menuitem", { name: "Password and sign-ins" }).click();
  await expect(page.getByText("this device")).toBeVisible();
  await page.getByLabel("Your password now").fill("two gulls");
  await page.getByLabel("New password").fill("four terns on a mast");
  await page.getByRole("button", { name: "Change password" }).click();
  await expect(page.getByText("That is not your password.")).toBeVisible();
  await page.getByLabel("Your password now").fill("two gulls on a wire");
  await page.getByRole("button", { name: "Change password" }).click();
  await expect(page.getByText("Password changed.")).toBeVisible();
  await page.goto(wire.address);
  await expect(page.getByRole("heading", { name: "Today" })).toBeVisible();
});
