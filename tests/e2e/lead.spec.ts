import { expect, type Page, test } from "@playwright/test";
import { api, signIn, write } from "./crew";

const random = () => crypto.randomUUID().replace(/^(.{14})./, "$17");

test("an entry that the rules refused waits for the lead, with its reason", async ({ page }) => {
  await signIn(page, "joss");
  const end = (await api(page, "/api/ends?status=accepted&limit=1"))[0];
  const token = (await api(page, "/api/session")).token;
  const me = (await api(page, "/api/session")).person.personId;
  const event = {
    id: random(),
    endId: end.endId,
    attempt: 9,
    kind: "attempt-started",
    at: new Date().toISOString(),
    deviceId: random(),
    deviceSeq: 1,
    actorId: me,
    body: { procedureId: "cold-cure-3mm", procedureVersion: 1 },
  };
  await page.request.post("/api/ledger", { data: [event], headers: { "X-Rhabdon-Token": token } });
  await page.goto("/rework");
  const entry = page.getByRole("listitem").filter({ hasText: "The next attempt on this end is number" });
  await entry.getByRole("button", { name: /1 entry refused/ }).click();
  await entry.getByRole("button", { name: "Take in again" }).click();
  await expect(page.getByText("Still refused").first()).toBeVisible();
  await entry.getByRole("button", { name: "Set aside" }).click();
  await expect(entry).toHaveCount(0);
});

test("a reading that the meter cannot tell from its limit is accepted where it is seen, with the reason tapped", async ({ page }) => {
  await signIn(page, "joss");
  const row = (await api(page, "/api/ends?status=to-accept&limit=1"))[0];
  const end = await api(page, `/api/ends/${row.endId}`);
  const run = end.state.attempts.at(-1);
  const worst = run.losses[0].judgement;
  const me = (await api(page, "/api/session")).person.personId;
  const overBy = 0.02;
  const answer = await write(page, "POST", "/api/ledger", [
    {
      id: random(), endId: end.endId, attempt: run.no, kind: "measured", at: new Date().toISOString(), deviceId: random(), deviceSeq: 1, actorId: me,
      body: { runId: run.runId, reference: "one-cord", wavelengthNm: worst.wavelengthNm, referenceDbm: 0, readingDbm: -(worst.limit.limitDb + overBy), direction: run.losses[0].reading.direction, into: "finished-connector" },
    },
  ]);
  expect(answer.events[0].outcome).toBe("stored");
  await page.goto("/");
  await page.getByRole("button", { name: new RegExp(`${end.address} .*the meter cannot tell which side`) }).click();
  await page.getByLabel("Why it is accepted").click();
  await page.locator(".ant-select-item-option").getByText("Cleaned and measured again, as before").click();
  await page.getByRole("button", { name: "Accept it over the limit" }).click();
  await expect(page.getByRole("button", { name: new RegExp(`${end.address} .*cannot tell`) })).toHaveCount(0);
  expect((await api(page, `/api/ends/${end.endId}`)).state.status).toBe("accepted");
});

test("the lead sees tonight which end will not make it", async ({ page }) => {
  await signIn(page, "joss");
  await page.goto("/rework");
  const short = page.locator("section.card", { has: page.getByRole("heading", { name: "Nearly out of slack" }) });
  await expect(short.getByText("80 mm left")).toBeVisible(); // 280 planned, four cut-offs of 50
  await short.getByRole("link", { name: "BH-P1:7" }).click();
  await expect(page.getByRole("heading", { name: "Attempt 5" })).toBeVisible();
  await page.getByRole("link", { name: "Bench" }).last().click();
  await expect(page.getByText(/Nearly out of slack: 80 mm/)).toBeVisible();
});

test("filters stand in the address and find what they say", async ({ page }) => {
  await signIn(page, "mira");
  for (const [filter, value] of [
    ["form", "LC"],
    ["mode", "single-mode"],
    ["method", "cold-cure"],
    ["verdict", "marginal"],
    ["status", "to-remake"],
  ] as const) {
    const expected = await api(page, `/api/ends?limit=500&${filter}=${value}`);
    expect(expected.length).toBeGreaterThan(0);
    for (const e of expected) expect(e[filter]).toBe(value);
    await page.goto(`/handover?${filter}=${value}`);
    await expect(page.locator("table.grid tbody tr")).toHaveCount(Math.min(100, expected.length));
  }
});

test("the keys of the bench move along the strands and show themselves", async ({ page }) => {
  await signIn(page, "tamsin");
  const [job] = await api(page, "/api/jobs/at-hand");
  const { panels, spaces } = await api(page, `/api/jobs/${job.jobId}`);
  const lampRoom = spaces.find((s: { code: string }) => s.code === "LR").spaceId;
  const panel = panels.find((p: { spaceId: string; code: string }) => p.spaceId === lampRoom && p.code === "P1");
  await page.goto(`/bench/${job.jobId}/${panel.panelId}`);
  await page.getByRole("option", { name: /Strand 1,/ }).click();
  const card = page.getByRole("complementary", { name: "Bench" });
  await expect(card.getByText(/Strand 1 ·/)).toBeVisible();
  await page.keyboard.press("ArrowRight");
  await expect(card.getByText(/Strand 2 ·/)).toBeVisible();
  await page.keyboard.press("ArrowLeft");
  await expect(card.getByText(/Strand 1 ·/)).toBeVisible();
  await page.keyboard.press("?");
  await expect(card.getByText("previous, next strand")).toBeVisible();
});

test("a wrong password and a wrong field are told where they are", async ({ page }) => {
  await page.goto("/");
  await page.getByLabel("Sign-in name").fill("mira");
  await page.getByLabel("Password", { exact: true }).fill("not this one");
  await page.getByRole("button", { name: "Sign in" }).click();
  await expect(page.locator(".ant-form-item-explain-error")).toHaveText("Name and password do not match.");
});

test("two who change one job are shown both and choose", async ({ browser }) => {
  const at = async (login: string) => {
    const page = await (await browser.newContext()).newPage();
    await signIn(page, login);
    return page;
  };
  const [lead, office] = [await at("joss"), await at("mira")];
  const { id } = await write(lead, "POST", "/api/jobs", { customer: "Gullrock Observatory", site: "Coal shed", timeZone: "Europe/London", dueOn: "2027-03-01", limitSetId: "tia-568.3-d", crewId: null });
  for (const page of [lead, office]) await page.goto(`/plan/${id}`);
  await expect(office.getByLabel("Site", { exact: true })).toHaveValue("Coal shed");
  await lead.getByLabel("Site", { exact: true }).fill("Coal shed, north");
  await lead.getByRole("button", { name: "Save job" }).click();
  await expect.poll(async () => (await api(lead, `/api/jobs/${id}`)).job.version).toBe(2);
  await office.getByLabel("Customer").fill("Gullrock Trust");
  await office.getByRole("button", { name: "Save job" }).click();
  const both = office.getByRole("dialog");
  await expect(both.getByRole("row").filter({ hasText: "Site" })).toContainText("Coal shed, north");
  await expect(both.getByRole("row").filter({ hasText: "Customer" })).toContainText("Gullrock Trust");
  expect((await api(lead, `/api/jobs/${id}`)).job.customer).toBe("Gullrock Observatory");
  await both.getByRole("button", { name: "Take theirs" }).click();
  await expect(office.getByLabel("Site", { exact: true })).toHaveValue("Coal shed, north");
  await office.getByLabel("Customer").fill("Gullrock Trust");
  await office.getByRole("button", { name: "Save job" }).click();
  await expect.poll(async () => (await api(lead, `/api/jobs/${id}`)).job).toMatchObject({ customer: "Gullrock Trust", site: "Coal shed, north", version: 3 });

  // A cable alike: what its links are judged by is the plan's.
  await write(lead, "POST", `/api/jobs/${id}/cables`, { code: "SHED-12", fiberClass: "OM3", construction: "cordage-3.0", strandCount: 12, lengthM: 80, slackAMm: 500, slackBMm: 500 });
  const cable = async () => (await api(lead, `/api/jobs/${id}`)).cables[0];
  for (const page of [lead, office]) {
    await page.reload();
    await page.getByRole("button", { name: /^Change SHED-12/ }).click();
  }
  const change = async (page: Page, label: string, value: string) => {
    await page.getByRole("dialog").getByLabel(label).fill(value);
    await page.getByRole("button", { name: "Save the cable" }).click();
  };
  await change(lead, "Splices in the cable", "1");
  await expect(lead.getByText("2 connections, 1 splice")).toBeVisible();
  await change(office, "Length (m)", "84");
  const cables = office.getByRole("dialog", { name: "Somebody else changed this cable" });
  await expect(cables.getByRole("row").filter({ hasText: "Splices in the cable" })).toContainText("1");
  await expect(cables.getByRole("button", { name: "Keep mine" })).toBeEnabled();
  await cables.getByRole("button", { name: "Keep mine" }).click();
  await expect.poll(cable).toMatchObject({ lengthM: 84, splices: 0, version: 3 });
});
