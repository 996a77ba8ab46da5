import { expect, test } from "@playwright/test";
import { api, bytes, choose, find, signIn, write } from "./crew";

test("a row of ports goes to one person, a jumper is planned without a panel, and two who change one space choose", async ({ page, browser }) => {
  await signIn(page, "mira");
  const [job] = await api(page, "/api/jobs/at-hand");
  await page.goto(`/plan/${job.jobId}`);
  const cables = page.locator("section.card").filter({ has: page.getByRole("heading", { name: "Cables", exact: true }) });
  await cables.getByLabel("Code").fill("PIER-J9");
  await cables.getByLabel("Ordered length (mm)").fill("2500");
  await cables.getByLabel("Strands", { exact: true }).fill("2");
  await cables.getByLabel("Slack, side A (mm)").fill("400");
  await cables.getByLabel("Slack, side B (mm)").fill("400");
  await page.getByRole("button", { name: "Add cable" }).click();
  await expect(page.getByText(/PIER-J9 .* jumper of 2500 mm/)).toBeVisible();
  await find(page, "Cable", "PIER-J9");
  await page.getByLabel("To strand").fill("2");
  await page.getByRole("button", { name: "Plan these connectors" }).click();
  await expect(page.getByText("2 connectors planned")).toBeVisible();

  // The jumper's two ends to Tamsin alone: she has them under her own name, and the list says who gave them.
  const given = page.locator("section.card").filter({ has: page.getByRole("heading", { name: "Who works what" }) });
  await find(page, "Panel or jumper", "PIER-J9");
  await choose(page, "Person", "Tamsin Vey");
  await given.getByRole("button", { name: "Give" }).click();
  await expect(given.getByRole("row").filter({ hasText: "PIER-J9" }).first()).toContainText("Tamsin Vey");
  await expect(given.getByRole("row").filter({ hasText: "PIER-J9" }).first()).toContainText("Mira Tollund");
  const tamsin = await (await browser.newContext({ viewport: { width: 390, height: 844 } })).newPage();
  await signIn(tamsin, "tamsin", new URL(page.url()).origin);
  const mine = await api(tamsin, "/api/ends?mine=true&limit=200");
  expect(mine.filter((e: { cableCode: string }) => e.cableCode === "PIER-J9").map((e: { address: string }) => e.address)).toEqual(["PIER-J9:1A", "PIER-J9:2A"]);
  await tamsin.goto(`/jobs/${job.jobId}`);
  await expect(tamsin.getByText("Works here: Tamsin Vey (2)").first()).toBeVisible();

  // Another changes the boathouse's name meanwhile: both stand side by side, and nothing of either is lost unseen.
  const space = (await api(page, `/api/jobs/${job.jobId}`)).spaces.find((s: { code: string }) => s.code === "BH");
  await page.getByRole("button", { name: "Change BH · Boathouse" }).click();
  await page.getByRole("dialog").getByLabel("Name").fill("Boat shed");
  await write(page, "PUT", `/api/jobs/${job.jobId}/spaces/${space.spaceId}`, { code: "BH", name: "Slipway house", version: space.version });
  await page.getByRole("dialog").getByRole("button", { name: "Save" }).click();
  await expect(page.getByText("Slipway house")).toBeVisible();
  await page.getByRole("button", { name: "Keep mine" }).click();
  await expect(page.getByRole("listitem").getByText("BH · Boat shed")).toBeVisible();
  await write(page, "PUT", `/api/jobs/${job.jobId}/spaces/${space.spaceId}`, { code: "BH", name: "Boathouse", version: space.version + 2 });
});

test("a tool counts anew when its blade is turned, a missing shard is found, and a reading names its meter", async ({ page }) => {
  await signIn(page, "joss");
  await page.goto("/kit");
  const cleaver = page.getByRole("row").filter({ hasText: "Field cleaver" });
  await expect(cleaver).toContainText("412 cleaves");
  await cleaver.getByRole("button", { name: "Blade turned: Field cleaver" }).click();
  await expect(cleaver.getByRole("cell").nth(2)).toHaveText("–");
  await expect(cleaver).toContainText("412 cleaves"); // in its whole life

  await page.goto("/rework");
  const missing = page.getByRole("button", { name: /1 shard is missing/ });
  await missing.click();
  await page.getByLabel("How many were found").fill("1");
  await page.getByRole("button", { name: "Found" }).click();
  await expect(missing).toHaveCount(0);

  const end = (await api(page, "/api/ends?status=to-measure&limit=1"))[0];
  await page.goto(`/measure/${end.endId}`);
  await choose(page, "Meter", "Power meter PM-14 · ±0.04 dB");
});

test("a picture that is taken with no signal waits on the device, is judged by eye, and stands in the record when it has arrived", async ({ page, context }) => {
  await signIn(page, "tamsin");
  const end = (await api(page, "/api/ends?status=to-look&limit=50")).find((e: { method: string }) => e.method === "wedge-locked");
  await page.goto(`/look/${end.endId}?how=picture`);
  const face = await bytes(page, "/api/calc/simulate/end-face", { endFaceClass: "mm-pc", seed: 3 });
  const { pngBase64 } = JSON.parse(face.toString());
  await context.setOffline(true);
  await page.locator("input[type=file]").first().setInputFiles({ name: "face.png", mimeType: "image/png", buffer: Buffer.from(pngBase64, "base64") });
  await expect(page.getByText(/the picture is kept on this device \(pending\)/)).toBeVisible();
  await expect(page.getByRole("img", { name: "The picture that was taken" })).toBeVisible();
  await page.getByRole("button", { name: "Record this look" }).click();
  await expect(page.getByText("2 unsent")).toBeVisible(); // the picture and the look
  await context.setOffline(false);
  await expect(page.getByText("All sent")).toBeVisible({ timeout: 30_000 });
  await page.goto(`/handover/${end.endId}`);
  await expect(page.getByRole("img", { name: "The picture that was taken" })).toBeVisible();
});
