import { readFileSync } from "node:fs";
import { expect, test } from "@playwright/test";
import { api, bytes, signIn, write } from "./crew";
import { Wire } from "./wire";

test("an instrument's folder comes back in one drop: whose each file is stands there before it counts, and what it says before it is recorded", async ({ page }) => {
  await signIn(page, "mira");
  const waiting = [...(await api(page, "/api/ends?status=to-look&limit=50")), ...(await api(page, "/api/ends?status=to-measure&limit=50"))];
  const row = waiting.find((e: { panelCode: string }) => e.panelCode !== "") as { endId: string; jobId: string; address: string };
  const end = await api(page, `/api/ends/${row.endId}`);
  const looks = end.state.attempts.at(-1).looks.length;
  await page.goto(`/jobs/${row.jobId}`);
  await page.getByRole("link", { name: "Instruments by the folder" }).click();
  const names = page.waitForEvent("download");
  await page.getByRole("link", { name: "CSV" }).click();
  const table = readFileSync((await (await names).path()) as string, "utf8").split("\r\n");
  const line = table.find((l) => l.split(",")[1] === row.address) as string;
  const name = line.split(",")[0];

  const face = await write(page, "POST", "/api/calc/simulate/end-face", { endFaceClass: end.endFaceClass, optics: { widthPx: 960, heightPx: 720, claddingPx: 400, coreUm: end.mode === "multimode" ? 50 : 9 } });
  const trace = await bytes(page, "/api/calc/simulate/trace", { lengthM: 150 + end.lengthM, dbPerKm: 2.6, events: [{ distanceM: 150, lossDb: 0.31, reflectanceDb: -42 }], pulseNs: 10, spacingM: 0.25, rangeM: 400, wavelengthNm: 850, backscatterDb: -68 });
  await page.getByLabel("Launch cord before this end, m").fill("150");
  await page.locator(".ant-upload-drag input[type=file]").setInputFiles([
    { name: `${name}.png`, mimeType: "image/png", buffer: Buffer.from(face.pngBase64, "base64") },
    { name: `${name}_850.sor`, mimeType: "application/octet-stream", buffer: trace },
    { name: "meter.csv", mimeType: "text/csv", buffer: Buffer.from(`Port;Loss\n${name};0.31\n`) },
    { name: "readme.docx", mimeType: "application/octet-stream", buffer: Buffer.from("x") },
  ]);
  await expect(page.getByText("its name")).toHaveCount(2);
  await expect(page.getByRole("button", { name: "Look at its 1 row" })).toBeVisible();
  await page.getByRole("button", { name: "Bring in 2" }).click();
  await expect(page.getByText(/kept, not recorded yet|kept: tie it|kept: look at it/)).toHaveCount(2, { timeout: 60_000 });
  expect((await api(page, `/api/ends/${row.endId}`)).state.attempts.at(-1).looks.length).toBe(looks);
  await page.getByRole("button", { name: /^Record what/ }).click();
  await expect(page.getByText("recorded", { exact: true }).first()).toBeVisible();
  await expect.poll(async () => (await api(page, `/api/ends/${row.endId}`)).state.attempts.at(-1).looks.length).toBe(looks + 1);
  await page.getByRole("button", { name: "Look at its 1 row" }).click();
  await expect(page.getByText("0.31").first()).toBeVisible();
});

test("the day of a site, hours that their person corrects on a phone, and what may be asked for", async ({ page, browser }) => {
  await signIn(page, "mira");
  const [job] = await api(page, "/api/jobs?find=LL-26-041");
  await page.goto(`/jobs/${job.jobId}`);
  await page.getByRole("link", { name: "The day", exact: true }).click();
  await expect(page.getByText(/connectors begun/)).toBeVisible();
  await page.getByLabel("Price each, SC Cold-cure").fill("21.5");
  await page.getByLabel("EUR").fill("eur");
  await page.getByRole("button", { name: "Save prices" }).click();
  await page.getByRole("region", { name: "For a progress invoice" }).getByLabel("From", { exact: true }).fill("2026-01-01");
  await expect(page.getByText(/^[1-9]\d*\.\d\d EUR in this time/)).toBeVisible();

  const phone = await (await browser.newContext({ viewport: { width: 390, height: 844 } })).newPage();
  await signIn(phone, "tamsin", new URL(page.url()).origin);
  await phone.getByRole("link", { name: "Hours" }).click();
  await phone.getByLabel("From", { exact: true }).fill("2026-01-01").catch(() => {});
  await phone.getByLabel("From", { exact: true }).fill(new Date(Date.now() - 50 * 86400_000).toISOString().slice(0, 10));
  await phone.getByRole("button", { name: "Correct" }).first().click();
  await phone.getByLabel("Hours", { exact: true }).last().fill("7.5");
  await phone.getByLabel("Why").fill("with the boat");
  await phone.getByRole("button", { name: "Save", exact: true }).click();
  await expect(phone.getByRole("button", { name: "7:30 · with the boat" })).toBeVisible();
  expect(await phone.evaluate(() => document.documentElement.scrollWidth)).toBeLessThanOrEqual(390);
  const csv = phone.waitForEvent("download");
  await phone.getByRole("link", { name: "CSV" }).click();
  expect(readFileSync((await (await csv).path()) as string, "utf8")).toContain("7.5,with the boat");
});

test("an empty company takes a whole job over, record and all, by the archive of its dossier", async ({ page, browser }) => {
  await signIn(page, "mira");
  const [job] = await api(page, "/api/jobs?find=LL-26-041");
  const asked = await write(page, "POST", `/api/jobs/${job.jobId}/dossiers`, { edition: "company", names: true, pictures: true });
  await expect.poll(async () => (await api(page, `/api/dossiers/${asked.dossierId}`)).stage, { timeout: 60_000 }).toBe("done");
  await page.goto(`/handover/job/${job.jobId}`);
  const download = page.waitForEvent("download");
  await page.getByRole("listitem").filter({ hasText: "The company's own" }).first().getByRole("link", { name: "ZIP" }).click();
  const zip = (await (await download).path()) as string;

  const wire = new Wire(process.env.RHABDON_EMPTY_DB);
  await wire.open();
  try {
    const office = await (await browser.newContext()).newPage();
    await office.goto(wire.address);
    await office.getByLabel("Company").fill("Stack and Tern");
    await office.getByLabel("Your name").fill("Oona Brack");
    await office.getByLabel("Sign-in name").fill("oona");
    await office.getByLabel("Password", { exact: true }).fill("two gulls on a wire");
    await office.getByRole("button", { name: "Set up" }).click();
    await office.getByRole("link", { name: "All jobs" }).click();
    const bring = office.getByRole("region", { name: "Bring a job's record in" });
    await bring.locator("input[type=file]").setInputFiles({ name: "notes.zip", mimeType: "application/zip", buffer: Buffer.from("no archive") });
    await expect(office.getByText("This is no archive of a company's own dossier.")).toBeVisible();
    await bring.locator("input[type=file]").setInputFiles(zip);
    await expect(office.getByText("The dossier is the same, to the byte.")).toBeVisible({ timeout: 120_000 });
    await expect(office.getByRole("heading", { name: job.customer })).toBeVisible();
    expect((await api(office, "/api/jobs"))[0].accepted).toBe((await api(page, "/api/jobs?find=LL-26-041"))[0].accepted);
  } finally {
    await wire.close();
  }
});
