import { readFileSync } from "node:fs";
import { join } from "node:path";
import { expect, test } from "@playwright/test";
import Ajv from "ajv/dist/2020.js";
import { api, find, signIn, write } from "./crew";

const schema = (name: string) => JSON.parse(readFileSync(join(__dirname, `../../docs/formats/${name}.schema.json`), "utf8"));

/** A new job with one panel of accepted and open ends would take a bench's time: the demo's first job has both. */
const first = async (page: Parameters<typeof api>[0]) => (await api(page, "/api/jobs?find=LL-26-041"))[0];

test("a job is handed over: the list before it, the paper, its seal checked with no network, and the customer's page on a phone", async ({ page, browser, context }) => {
  const styles: string[] = [];
  page.on("console", (m) => void (m.text().includes("Content Security Policy") && styles.push(m.text())));
  await signIn(page, "mira");
  const job = await first(page);
  await page.goto(`/handover?jobId=${job.jobId}`);
  await page.getByRole("link", { name: "Hand over …" }).click();
  await expect(page.getByText("connectors are not accepted:")).toBeVisible();

  // The company's own, with names; it is drawn while one looks on.
  const papers = page.getByRole("region", { name: "On paper" });
  await papers.getByLabel("The company's own: everything").check();
  await papers.getByLabel("Names of people").check();
  // Copies of before stand there already: what is taken is the new one's.
  await expect(papers.getByRole("heading").first()).toBeVisible();
  const before = (await api(page, `/api/jobs/${job.jobId}/dossiers`)).length;
  await papers.getByRole("button", { name: "Make the PDF" }).click();
  await expect(papers.getByRole("link", { name: "PDF", exact: true })).toHaveCount(before + 1, { timeout: 60_000 });
  const line = papers.getByRole("listitem").filter({ hasText: "The company's own" }).first();
  await expect(line.getByRole("link", { name: "PDF" })).toBeVisible({ timeout: 60_000 });
  const save = async (name: string) => {
    const waits = page.waitForEvent("download");
    await line.getByRole("link", { name, exact: true }).click();
    return (await (await waits).path()) as string;
  };
  const [pdf, seal, data] = [await save("PDF"), await save("Seal"), await save("JSON")];
  expect(readFileSync(pdf).subarray(0, 5).toString()).toBe("%PDF-");

  // What leaves the house has the shape that its schema says.
  const ajv = new Ajv({ strict: false, formats: { uuid: true, int32: true, int64: true, double: true, "date-time": true, date: true } });
  for (const [name, file] of [["rhabdon-dossier-1", data], ["rhabdon-seal-1", seal]] as const) {
    const check = ajv.compile(schema(name));
    expect(check(JSON.parse(readFileSync(file, "utf8"))), JSON.stringify(check.errors?.slice(0, 3))).toBe(true);
  }

  // Handed over by name; its paper lies beside it.
  const hand = page.getByRole("region", { name: "Hand it over" });
  await hand.getByLabel("Taken over by (name)").fill("Isolde Marrin");
  await hand.getByRole("button", { name: "Hand over" }).click();
  await expect(hand.getByText("taken over by Isolde Marrin")).toBeVisible();
  await expect(hand.getByRole("link", { name: "PDF" })).toBeVisible({ timeout: 60_000 });
  await expect(hand.getByText("Nothing has changed since the last handover.")).toBeVisible();

  // A link, shown once, opens the customer's page on a phone and with no account.
  const links = page.getByRole("region", { name: "Links for the customer" });
  await links.getByLabel("For whom").fill("The keeper");
  await links.getByRole("button", { name: "Make a link" }).click();
  const address = new URL(await page.getByLabel("Address", { exact: true }).inputValue());
  // A dialog holds the page still, and nothing that the content policy refuses.
  expect(await page.evaluate(() => getComputedStyle(document.documentElement).overflow)).toBe("hidden");
  await page.getByRole("button", { name: "Close", exact: true }).last().click();
  await expect.poll(() => page.evaluate(() => getComputedStyle(document.documentElement).overflow)).not.toBe("hidden");
  expect(styles).toEqual([]);
  const phone = await (await browser.newContext({ viewport: { width: 390, height: 844 } })).newPage();
  await phone.goto(new URL(address.pathname + address.hash, page.url()).href);
  await expect(phone.getByText("connectors are proven")).toBeVisible();
  expect(await phone.evaluate(() => document.documentElement.scrollWidth)).toBeLessThanOrEqual(390);
  await phone.getByRole("button", { name: "End face of KC-P1:1", exact: true }).click();
  await expect(phone.getByRole("img", { name: "End face of KC-P1:1" })).toBeVisible();
  await expect(phone.getByText("Tamsin")).toHaveCount(0);
  const paper = phone.waitForEvent("download");
  await phone.getByRole("button", { name: "Save the PDF" }).first().click();
  expect(readFileSync((await (await paper).path()) as string).subarray(0, 5).toString()).toBe("%PDF-");

  // Revoked, it opens nothing more.
  await links.getByRole("button", { name: "Revoke: The keeper" }).click();
  await expect(links.getByText("revoked")).toBeVisible();
  await phone.reload();
  await expect(phone.getByText("This link opens nothing")).toBeVisible();

  // The seal is checked where there is no network: whole as it is, and not with one byte otherwise.
  await phone.goto(new URL("/check", page.url()).href);
  await expect(phone.getByRole("button", { name: "Choose the files" })).toBeVisible();
  await phone.context().setOffline(true);
  const pick = phone.locator("input[type=file]");
  await pick.setInputFiles([pdf, seal, data]);
  await expect(phone.getByText("It is what was sealed, to the byte.")).toBeVisible();
  const other = Buffer.from(readFileSync(pdf));
  other.writeUInt8(other.readUInt8(other.length >> 1) ^ 1, other.length >> 1);
  await pick.setInputFiles([{ name: "other.pdf", mimeType: "application/pdf", buffer: other }, { name: "seal.json", mimeType: "application/json", buffer: readFileSync(seal) }]);
  await expect(phone.getByText("This PDF is not the one that was sealed")).toBeVisible();
  await phone.context().close();
  await context.close();
});

test("labels are seen before they are printed, and a scheme that tells two apart no more is refused", async ({ page }) => {
  await signIn(page, "joss");
  const job = await first(page);
  await page.goto(`/handover/job/${job.jobId}/labels`);
  const preview = page.getByRole("img", { name: /The first page as it will print/ });
  await expect(preview).toBeVisible();
  expect(await preview.evaluate((i: HTMLImageElement) => i.decode().then(() => i.naturalWidth))).toBeGreaterThan(0);
  await page.getByLabel("What stands on each, line by line").fill("{space}-{panel}");
  await expect(page.getByText(/labels would say the same/)).toBeVisible();
  await page.getByText("Cables", { exact: true }).click();
  await expect(page.getByText(/labels would say the same/)).toHaveCount(0);
  await expect(page.getByText(/^\d+ labels on \d+ pages\.$/)).toBeVisible();
});

test("a plan comes in by file: the cell that cannot be is named, the job is drawn, and then it is written", async ({ page }) => {
  await signIn(page, "mira");
  const { crewId } = (await api(page, "/api/jobs?find=LL-26-041"))[0];
  const { id } = await write(page, "POST", "/api/jobs", { customer: "By file", site: "Rope loft", timeZone: "Europe/London", dueOn: "2027-03-01", limitSetId: "tia-568.3-d", crewId });
  await page.goto(`/plan/${id}`);
  await page.getByText("Bring a plan in by file").click();
  const head = "Room,Panel,Ports,Port,Cable,Fibre,Construction,Strands,Length,Core,Side,Connector,Polish,Method,Stub\n";
  const row = (n: number, polish = "UPC") => `RL,P1,24,${n},LOFT-12,OM3,cordage-3.0,12,64,${n},A,SC,${polish},wedge-locked,OM3\n`;
  const bring = (text: string) => page.locator('details:has-text("Bring a plan in by file") input[type=file]').setInputFiles({ name: "plan.csv", mimeType: "text/csv", buffer: Buffer.from(text) });

  // A heading that nobody knows is said once, and kept.
  await bring(head + row(1) + row(2, "flat"));
  await expect(page.getByText("Say which heading is which")).toBeVisible();
  await find(page, "Strand *", "Core");
  await expect(page.getByRole("cell", { name: "M3" })).toBeVisible();
  await page.getByRole("textbox", { name: "Keep as …" }).fill("Loft planner");
  await page.getByRole("button", { name: "Keep", exact: true }).click();

  await bring(head + Array.from({ length: 12 }, (_, i) => row(i + 1)).join(""));
  await expect(page.getByText("12 connectors would be added")).toBeVisible();
  await expect(page.getByRole("img", { name: "RL-P1: 12 of 24 ports named by the file" })).toBeVisible();
  await page.getByRole("button", { name: "Write it into the plan" }).click();
  await expect(page.getByText("Written: 12 added")).toBeVisible();
  expect((await api(page, `/api/ends?jobId=${id}`)).length).toBe(12);
  await bring(head + Array.from({ length: 12 }, (_, i) => row(i + 1)).join(""));
  await expect(page.getByRole("button", { name: "Nothing to write" })).toBeDisabled();
});
