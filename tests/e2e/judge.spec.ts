import { expect, test } from "@playwright/test";
import { api, choose, signIn, write } from "./crew";

const marks = (...findings: [number, number, number][]) =>
  findings.map(([xUm, yUm, diameterUm]) => ({ finding: { kind: "particle", xUm, yUm, diameterUm }, contrast: 0.6 }));

/** A simulated picture, as the microscope would save it. */
async function picture(page: Parameters<typeof api>[0], endFaceClass: string, found: ReturnType<typeof marks>) {
  const face = await write(page, "POST", "/api/calc/simulate/end-face", { endFaceClass, marks: found, optics: { widthPx: 960, heightPx: 720, claddingPx: 400, coreUm: 50, noiseLevels: 2 } });
  return { name: "face.png", mimeType: "image/png", buffer: Buffer.from(face.pngBase64, "base64") };
}

const endsOf = async (page: Parameters<typeof api>[0], status: string) =>
  Promise.all((await api(page, `/api/ends?limit=200&status=${status}`)).map((e: { endId: string }) => api(page, `/api/ends/${e.endId}`)));

test("an end is looked at from a picture, cleaned, looked at again, measured both ways and read from a trace", async ({ page }) => {
  await signIn(page, "tamsin");
  const end = (await endsOf(page, "to-look")).find((e) => e.state.attempts.at(-1).looks.length === 1);
  await page.goto(`/look/${end.endId}`);
  const file = page.locator("input[type=file]").first();

  // What is no picture is told, and nothing is lost.
  await file.setInputFiles({ name: "notes.png", mimeType: "image/png", buffer: Buffer.from("no picture") });
  await expect(page.getByText("This is no PNG, JPEG, BMP or TIFF picture.")).toBeVisible();

  await file.setInputFiles(await picture(page, "mm-pc", marks([4, -6, 9], [-40, 18, 3])));
  await expect(page.getByText("Fails", { exact: true })).toBeVisible();
  await expect(page.getByText("decides")).toHaveCount(1);
  await expect(page.locator("figcaption")).toHaveText(["Before", "Now"]);
  // The person decides: what is no dirt at all is taken off the list, and Core grades again.
  await page.getByRole("button", { name: /^\d Particle · .*decides/ }).click();
  await page.getByRole("button", { name: "Remove" }).click();
  await expect(page.getByText("Passes", { exact: true })).toBeVisible();
  await page.getByLabel("Size (µm)").last().fill("14");
  await page.getByText("+ Crack", { exact: true }).click();
  const map = page.getByRole("img", { name: `End face of ${end.address}` });
  await map.click({ position: { x: 160, y: 160 } });
  await expect(page.getByText("Fails", { exact: true })).toBeVisible();
  await page.getByRole("button", { name: "Record this look" }).click();
  await expect(page.getByText("Recorded.").first()).toBeVisible();
  await choose(page, "Reason", "Contamination");
  await page.getByRole("button", { name: "Cleaned; look again" }).click();

  await file.setInputFiles(await picture(page, "mm-pc", []));
  await expect(page.getByText("No findings")).toBeVisible();
  await page.getByRole("button", { name: "Record this look" }).click();
  await expect.poll(async () => (await api(page, `/api/ends/${end.endId}`)).state.status).toBe("to-measure");
  const looks = (await api(page, `/api/ends/${end.endId}`)).state.attempts.at(-1).looks;
  expect(looks.map((l: { verdict: { pass: boolean } }) => l.verdict.pass)).toEqual([false, false, true]);
  expect(looks[1].picture.automatic.length).toBe(2); // what the program found is kept beside what the person made of it
  expect(looks[1].picture.final.map((f: { kind: string }) => f.kind)).toContain("crack");

  await page.goto(`/measure/${end.endId}`);
  for (const [at, nm] of [850, 1300].entries()) {
    await page.getByLabel("Reference (dBm)").nth(at).fill("-20");
    await page.getByLabel("Reading (dBm)", { exact: true }).nth(at).fill(nm === 850 ? "-20.55" : "-20.41");
  }
  // On a reference that has drifted nothing is written down.
  await page.getByLabel("Cords again (dBm)").first().fill("-20.3");
  await expect(page.getByText("Reference has drifted by 0.30 dB")).toBeVisible();
  await page.getByLabel("Cords again (dBm)").first().fill("-20.02");
  await expect(page.getByText(/Reference good/).first()).toBeVisible();
  await page.getByRole("button", { name: "Record readings" }).click();
  await expect(page.getByText("10GBASE-SR: carries")).toBeVisible();

  await page.getByText("Trace", { exact: true }).click();
  const sor = await page.evaluate(async (lengthM) => {
    const { token } = await fetch("/api/session").then((r) => r.json());
    const r = await fetch("/api/calc/simulate/trace", { method: "POST", headers: { "Content-Type": "application/json", "X-Rhabdon-Token": token }, body: JSON.stringify({ lengthM: 150 + lengthM, dbPerKm: 2.6, events: [{ distanceM: 150, lossDb: 0.31, reflectanceDb: -42 }], pulseNs: 10, spacingM: 0.25, rangeM: 400, wavelengthNm: 850, backscatterDb: -68 }) });
    return [...new Uint8Array(await r.arrayBuffer())];
  }, end.lengthM);
  await page.locator("input[type=file]").first().setInputFiles({ name: "bad.sor", mimeType: "application/octet-stream", buffer: Buffer.from(sor.slice(0, 900)) });
  await expect(page.getByText(/^(FxdParams|DataPts|KeyEvents|GenParams|SupParams|LnkParams): /)).toBeVisible();
  await page.locator("input[type=file]").first().setInputFiles({ name: "link.sor", mimeType: "application/octet-stream", buffer: Buffer.from(sor) });
  // Nobody said yet whether there was a launch cord: it is asked, and nothing below nothing is shown.
  await expect(page.getByText("Was there a launch cord?")).toBeVisible();
  await expect(page.getByRole("button", { name: "Record this connector" })).toBeDisabled();
  await page.getByLabel("Launch cord (m)").fill("70");
  await expect(page.getByText("No connector lies 70 m from the instrument.")).toBeVisible();
  expect(await page.locator("table.grid td:nth-child(3)").allInnerTexts()).not.toContainEqual(expect.stringMatching(/^[-−]\d/));
  await page.getByLabel("Launch cord (m)").fill("150");
  await expect(page.getByRole("row").filter({ hasText: end.address })).toContainText("0.31");
  await page.getByRole("button", { name: "Record this connector" }).click();
  await expect(page.getByText("850 nm: 0.31 dB, within 0.75 dB")).toBeVisible();
});

test("a failed link is traced to its bad connector", async ({ page }) => {
  await signIn(page, "joss");
  const failed = (await endsOf(page, "needs-decision")).find((e) => e.state.attempts.at(-1).losses.some((l: { judgement: { verdict: string } }) => l.judgement.verdict === "fail") && e.address.startsWith("LR-P1"));
  // What it may be, each cause open to what moved it, as the calculator has it; nothing is cut before it was cleaned.
  await page.goto(`/handover/${failed.endId}`);
  const card = page.getByRole("region", { name: /^Decide/ }).or(page.locator("section.decision")).first();
  await card.getByText("What it may be, and what costs least").click();
  const { ask, found } = await api(page, `/api/ends/${failed.endId}/diagnosis`);
  // The company's own shares and confirmed causes may have moved it by a hair.
  const rough = (x: unknown) => JSON.parse(JSON.stringify(x, (_, v) => (typeof v === "number" ? Number(v.toPrecision(6)) : v)));
  expect(rough(await write(page, "POST", "/api/calc/diagnose", ask))).toEqual(rough(found));
  await expect(card.getByText(`${(found.causes[0].probability * 100).toFixed(0)} %`, { exact: true })).toBeVisible();
  await card.locator("details.bar-name summary").first().click();
  await expect(card.getByText(/loss over its limit: [\d.]+ times likelier/).first()).toBeVisible();
  await expect(card.getByText(/^Next: (clean|look)/)).toBeVisible();
  await page.goto(`/measure/${failed.endId}?how=panel`);
  await expect(page.getByText(/this link, cannot tell which end/)).toBeVisible();
  await page.getByText("Trace", { exact: true }).click();
  await page.getByLabel("Launch cord (m)").fill("150");
  await expect(page.getByRole("img", { name: /^Trace:/ })).toBeVisible();
  await expect(page.getByRole("row").filter({ hasText: failed.address })).toContainText("1.24");
  await page.getByRole("button", { name: "Record this connector" }).click();
  await page.getByText("Whole panel", { exact: true }).click();
  await expect(page.getByText(`Look at ${failed.address} first.`)).toBeVisible();
});

test("a meter's table is pasted: what cannot be is stopped with its row", async ({ page }) => {
  await signIn(page, "joss");
  const ready = (await endsOf(page, "to-measure")).find((e) => e.address.startsWith("LR-P1"));
  await page.goto(`/measure/${ready.endId}?how=panel`);
  const waiting = (await endsOf(page, "at-bench")).find((e) => e.address.startsWith("LR-P1"));
  await page.getByLabel("Table of readings").fill(`Port;Wavelength;Loss dB\n${ready.port};850;0,61\n${ready.port};850;0,60\n999;850;0,5\n${ready.port};1300;-4\n${ready.port};1300;0.52\n${waiting.port};850;0.40`);
  await page.getByRole("button", { name: "Check", exact: true }).click();
  await expect(page.getByText(`Row 3: ${ready.address} at 850 nm stands in an earlier row.`)).toBeVisible();
  await expect(page.getByText("Row 4: nothing is planned at '999' on this panel.")).toBeVisible();
  await expect(page.getByText("Row 5: a loss of -4 dB cannot be.")).toBeVisible();
  // Every row says whether it will be recorded, and afterwards whether it was.
  const row = (no: number) => page.getByRole("row").filter({ has: page.getByRole("cell", { name: `${no}`, exact: true }) });
  await expect(row(2)).toContainText("will be recorded");
  await expect(row(3)).toContainText("no: the row cannot be read");
  await expect(row(7)).toContainText(`${waiting.address}: it is still at the bench.`);
  await page.getByRole("button", { name: "Record 2 readings" }).last().click();
  for (const no of [2, 6]) await expect(row(no).getByText("recorded", { exact: true })).toBeVisible();
  await expect(row(7)).toContainText("still at the bench");
  await expect.poll(async () => (await api(page, `/api/ends/${ready.endId}`)).losses.map((l: { worstDb: number }) => l.worstDb.toFixed(2))).toEqual(["0.61", "0.52"]);
});
