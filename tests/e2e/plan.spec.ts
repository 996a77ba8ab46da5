import { expect, test } from "@playwright/test";
import { PASSWORD, api, choose, sideways, signIn, write } from "./crew";

test("connectors are planned from the drawing, and a row of them changed and given in one go", async ({ page }) => {
  await signIn(page, "joss");
  const { person } = await api(page, "/api/session");
  const made = async (path: string, data: object) => (await write(page, "POST", path, data)).id;
  const jobId = await made("/api/jobs", {
    customer: "Gullrock Observatory", site: "Fog house", dueOn: "2027-03-01", timeZone: "UTC", limitSetId: "tia-568.3-d", crewId: person.crewId, number: null, faceLimitSetId: null,
  });
  const spaceId = await made(`/api/jobs/${jobId}/spaces`, { code: "FH", name: "Fog house" });
  for (const code of ["P1", "P2"]) await made(`/api/jobs/${jobId}/panels`, { spaceId, code, ports: 24, adapterForm: "SC", angled: false });
  await made(`/api/jobs/${jobId}/cables`, { code: "HORN-12", fiberClass: "OM3", construction: "cordage-3.0", strandCount: 12, lengthM: 60, slackAMm: 900, slackBMm: 900 });

  await page.goto(`/plan/${jobId}`);
  const drawing = page.getByRole("group", { name: "Spaces, panels and cables" });
  // By the keyboard as by the finger.
  await drawing.getByRole("button", { name: "Pick up HORN-12, side A, strands 1 to 12" }).press("Enter");
  await drawing.getByRole("button", { name: "Put them on panel P1, from port 1" }).click();
  await page.getByRole("button", { name: "Plan these connectors" }).click();
  await expect(drawing.getByText("12 / 24")).toBeVisible();
  await expect(drawing.getByRole("button", { name: /Pick up HORN-12, side A/ })).toHaveCount(0);

  await page.getByText("Strands of HORN-12 (12)").click();
  await expect(page.getByLabel("HORN-12, last strand of the row")).toHaveValue("12");
  await page.getByRole("button", { name: "Change 12 …" }).click();
  const dialog = page.getByRole("dialog");
  await choose(page, "Method", "Cold-cure", dialog);
  await choose(page, "Move to panel", "FH-P2", dialog);
  await dialog.getByLabel("First port").fill("5");
  await dialog.getByRole("button", { name: "Change them" }).click();
  await expect(page.getByText("12 changed, 0 begun")).toBeVisible();
  await page.getByRole("button", { name: "Change 12 …" }).click();
  await choose(page, "Crew", person.crewName, dialog);
  await choose(page, "Person", "Tamsin Vey", dialog);
  await dialog.getByRole("button", { name: "Change them" }).click();
  await expect(page.getByRole("row").filter({ hasText: "FH-P2:5–16" }).first()).toContainText("Tamsin Vey");
  const ends = await api(page, `/api/ends?jobId=${jobId}`);
  expect([ends.length, ends[0].address, ends[0].method]).toEqual([12, "FH-P2:5", "cold-cure"]);

  // What to bring for them: no fewer than there are ends, and more where one wants to be surer.
  const bring = page.locator("section.card").filter({ has: page.getByRole("heading", { name: "What to bring" }) });
  const connectors = async () => Number(await bring.locator("tbody tr").first().locator("td").nth(1).innerText());
  await expect.poll(connectors).toBeGreaterThanOrEqual(12);
  const needs = async (confidence: number) => (await api(page, `/api/jobs/${jobId}/kit?confidence=${confidence}`)).groups[0].connectors;
  expect(await needs(0.999)).toBeGreaterThan(await needs(0.5));
  await bring.getByText("99 %", { exact: true }).click();
  await expect.poll(connectors).toBe(await needs(0.99));
  await bring.getByText("Parts by connector").click();
  await expect(bring.getByText(/^\d+ × /).first()).toBeVisible();

  await page.goto("/handover");
  await page.getByLabel("Label").fill("fh-p2:16");
  await expect(page.locator("table.grid tbody tr")).toHaveCount(1);
  await expect(page.getByRole("link", { name: "FH-P2:16" })).toBeVisible();
});

test("names as long as they may be end in an ellipsis, on a phone as well", async ({ page, browser }) => {
  test.slow();
  await signIn(page, "mira");
  const name = "Northern-Archipelago-Lighthouse-and-Foghorn-Maintenance-Consolidated-Trust of the Outer Skerries and Holms";
  const crewId = (await write(page, "POST", "/api/crews", { name: name.slice(0, 60) })).id;
  await write(page, "POST", "/api/people", { name: name.slice(0, 60), login: "longname", password: PASSWORD, role: "lead", crewId });
  const jobId = (await write(page, "POST", "/api/jobs", { customer: name.slice(0, 100), site: name.slice(0, 100), dueOn: "2027-03-01", timeZone: "UTC", limitSetId: "tia-568.3-d", crewId, number: null, faceLimitSetId: null })).id;
  const spaceId = (await write(page, "POST", `/api/jobs/${jobId}/spaces`, { code: "OUTERSKERRY", name: name.slice(0, 60) })).id;
  const panelId = (await write(page, "POST", `/api/jobs/${jobId}/panels`, { spaceId, code: "PANEL-NORTH", ports: 24, adapterForm: "SC", angled: false })).id;
  const cableId = (await write(page, "POST", `/api/jobs/${jobId}/cables`, { code: "HORN-OUTER-SKER", fiberClass: "OM3", construction: "cordage-3.0", strandCount: 12, lengthM: 60, slackAMm: 900, slackBMm: 900 })).id;
  const { endIds } = await write(page, "POST", `/api/jobs/${jobId}/ends`, { cableId, side: "A", fromStrand: 1, toStrand: 12, panelId, firstPort: 1, form: "SC", polish: "UPC", mode: "multimode", method: "cold-cure" });
  const wrong: string[] = [];
  const phone = await (await browser.newContext({ viewport: { width: 390, height: 844 }, hasTouch: true })).newPage();
  await signIn(phone, "longname", new URL(page.url()).origin);
  for (const path of ["/", "/jobs", `/jobs/${jobId}`, `/plan/${jobId}`, "/handover", `/handover/${endIds[0]}`, `/prep/${endIds[0]}`, `/bench/${jobId}/${panelId}`]) {
    await phone.goto(path);
    await phone.waitForLoadState("networkidle");
    for (const what of await sideways(phone)) wrong.push(`${path}: ${what}`);
  }
  expect(wrong).toEqual([]);
  await phone.goto("/jobs");
  expect((await phone.getByRole("link", { name: /^Northern/ }).boundingBox())?.height).toBeLessThan(60);
});
