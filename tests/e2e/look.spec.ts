import { expect, type Page, test } from "@playwright/test";
import { api, bytes, choose, signIn } from "./crew";

const endsOf = async (page: Page, status: string) =>
  Promise.all((await api(page, `/api/ends?limit=200&status=${status}`)).map((e: { endId: string }) => api(page, `/api/ends/${e.endId}`)));

/** A photo of a lit white body whose window glows red, as a camera would save it. */
const photo = (page: Page, light: number) =>
  page.evaluate((glow) => {
    const canvas = document.createElement("canvas");
    [canvas.width, canvas.height] = [640, 480];
    const c = canvas.getContext("2d") as CanvasRenderingContext2D;
    c.fillStyle = "#2c2e33";
    c.fillRect(0, 0, 640, 480);
    c.fillStyle = "#c8cacd";
    c.fillRect(220, 160, 200, 160);
    c.fillStyle = `rgb(${glow}, 20, 20)`;
    c.fillRect(280, 200, 80, 80);
    return canvas.toDataURL("image/png").split(",")[1] as string;
  }, light);

test("at the bench a cleave is judged from the side and the red light from two photos, and both stand in the record", async ({ page }) => {
  await signIn(page, "tamsin");
  const end = (await endsOf(page, "at-bench")).find((e) => e.address.startsWith("LR-P2") && e.lightRule === "clearly-dimmer");
  await page.goto(`/look/${end.endId}?how=cleave`);
  await page.locator("input[type=file]").first().setInputFiles({ name: "notes.png", mimeType: "image/png", buffer: Buffer.from("no picture") });
  await expect(page.getByText("This is no PNG, JPEG, BMP or TIFF picture.")).toBeVisible();
  const side = await bytes(page, "/api/calc/simulate/cleave", { angleDeg: 4.5, lipUm: 0, chipUm: 0, roughUm: 0 });
  await page.locator("input[type=file]").first().setInputFiles({ name: "side.png", mimeType: "image/png", buffer: side });
  await expect(page.getByText("Strip and cleave again: Angle")).toBeVisible();
  await page.getByRole("button", { name: "Record this cleave" }).click();
  await expect(page.getByText("1 recorded for this connector, 1 of them bad.")).toBeVisible();

  await page.getByText("Red light", { exact: true }).click();
  await expect(page.getByRole("button", { name: "Photo before seating" })).toBeVisible();
  const draw = async () => {
    const files = page.locator("input[type=file]");
    await files.nth(0).setInputFiles({ name: "before.png", mimeType: "image/png", buffer: before });
    await files.nth(1).setInputFiles({ name: "after.png", mimeType: "image/png", buffer: after });
    await expect(page.getByRole("button", { name: "Compare" })).toBeDisabled(); // no window yet
    const shown = page.getByRole("img", { name: "Photo before seating: draw the window around the glow" });
    await expect.poll(async () => (await shown.boundingBox())?.height ?? 0).toBeGreaterThan(100);
    const box = (await shown.boundingBox()) as { x: number; y: number; width: number; height: number };
    await page.mouse.move(box.x + box.width * 0.45, box.y + box.height * 0.44);
    await page.mouse.down();
    await page.mouse.move(box.x + box.width * 0.55, box.y + box.height * 0.56, { steps: 4 });
    await page.mouse.up();
    await page.getByRole("button", { name: "Compare" }).click();
  };
  const [before, after] = [Buffer.from(await photo(page, 235), "base64"), Buffer.from(await photo(page, 225), "base64")];
  await draw();
  await expect(page.getByText("That is: Unchanged.")).toBeVisible();
  // The eye decides; that the photos say otherwise stands beside it.
  await page.getByText("Clearly dimmer", { exact: true }).last().click();
  await page.getByRole("button", { name: "Record the red light" }).click();
  await expect(page.getByText("The photos say: Unchanged. Look again.")).toBeVisible();
  // What is recorded leaves room for the next; before that, a photo would go with the last one.
  await expect(page.getByRole("img", { name: /^Photo before seating/ })).toHaveCount(0);

  // With no signal photos and words wait together; what the photos say comes when they have arrived.
  await page.context().setOffline(true);
  await draw();
  await expect(page.getByText("No signal: both photos wait on this device")).toBeVisible();
  await page.getByText("None visible", { exact: true }).last().click();
  await page.getByRole("button", { name: "Record the red light" }).click();
  await expect(page.getByText("Recorded.").last()).toBeVisible();
  await page.context().setOffline(false);
  await expect
    .poll(async () => {
      const { state } = await (await page.request.get(`/api/ends/${end.endId}`)).json();
      return state.attempts.at(-1).lights.map((l: { judgement: { photosSay: string } }) => l.judgement.photosSay);
    }, { timeout: 30_000 })
    .toEqual(["unchanged", "unchanged"]);

  await page.goto(`/handover/${end.endId}`);
  await expect(page.getByText("Strip and cleave again: Angle", { exact: true })).toBeVisible();
  await expect(page.getByRole("img", { name: "Side view of a cleave" })).toBeVisible();
  await expect(page.getByRole("img", { name: "Photo after seating" })).toHaveCount(2);
  await expect(page.getByText("The photos say: Unchanged. Look again.").first()).toBeVisible();
});

test("the office keeps house limits, is told where they are looser, and an end is looked at by them", async ({ page }) => {
  await signIn(page, "mira");
  await page.goto("/methods");
  await page.getByRole("link", { name: "Limits" }).click();
  await page.getByRole("button", { name: "House limits from these" }).click();
  await page.getByRole("button", { name: "Keep these limits" }).click();
  await expect(page.getByRole("alert")).toContainText("'source' needs 1 to 200 characters.");
  await page.getByLabel("Source").fill("What the foreman says");
  const size = page.getByLabel("Defects mm-pc A 1 µm");
  await size.fill("8");
  await size.blur();
  await page.getByRole("button", { name: "Keep these limits" }).click();
  await expect(page.getByText("Looser than the standard in one figure")).toBeVisible();
  await expect(page.getByRole("row").filter({ hasText: "mm-pc zone A, defects of 5 to 8 µm" })).toContainText("4");

  const end = (await endsOf(page, "to-look")).find((e) => e.endFaceClass === "mm-pc");
  await page.goto(`/look/${end.endId}`);
  const face = await bytes(page, "/api/calc/simulate/end-face", {
    endFaceClass: "mm-pc",
    marks: [{ finding: { kind: "particle", xUm: 4, yUm: -6, diameterUm: 6.5 }, contrast: 0.6 }],
    optics: { widthPx: 960, heightPx: 720, claddingPx: 400, coreUm: 50 },
  });
  await page.locator("input[type=file]").first().setInputFiles({ name: "face.png", mimeType: "image/png", buffer: Buffer.from(JSON.parse(face.toString()).pngBase64, "base64") });
  await expect(page.getByText("Passes", { exact: true })).toBeVisible();
  await expect(page.getByText("Limits: 1", { exact: true })).toBeVisible(); // the house edition, which the office numbered
});

test("a fiber is traced from both its ends: the mean is recorded, and the far connector, too", async ({ page }) => {
  await signIn(page, "joss");
  const failed = (await endsOf(page, "needs-decision")).find((e) => e.address === "LR-P1:13");
  await page.goto(`/measure/${failed.endId}?how=trace`);
  await page.getByLabel("Launch cord (m)").fill("150");
  await expect(page.getByLabel("Receive cord (m)")).toHaveValue("150"); // told by the planned far connector
  await page.getByLabel("Trace from the other side").click();
  await page.keyboard.press("ArrowDown");
  await page.keyboard.press("Enter");
  await expect(page.getByRole("row").filter({ hasText: "LR-P1:13" })).toContainText("1.300");
  await page.getByRole("button", { name: "Record this connector" }).click();
  await expect.poll(async () => (await api(page, `/api/ends/${failed.endId}`)).state.attempts.at(-1).traces.map((t: { reading: { lossDb: number } }) => t.reading.lossDb.toFixed(1))).toEqual(["1.3"]);
  // The far connector is accepted already: it is shown, not recorded again.
  await page.getByRole("row").filter({ hasText: "KC-P1:13" }).getByRole("button").click();
  await expect(page.getByText("The far connector")).toBeVisible();
  await expect(page.getByRole("button", { name: "Record this connector" })).toBeDisabled();
});

test("a picture is taken from the camera, and one that shows no fiber is never guessed at", async ({ page }) => {
  await signIn(page, "tamsin");
  const [end] = await endsOf(page, "to-look");
  await page.goto(`/look/${end.endId}`);
  await page.getByRole("button", { name: "From the camera" }).click();
  await page.getByRole("button", { name: "Take this picture" }).click();
  await expect(page.getByText("Not gradable")).toBeVisible();
  await expect(page.getByRole("region", { name: "What the camera sees" })).toHaveCount(0);
  await expect(page.getByRole("button", { name: "Record this look" })).toBeDisabled();
});

test("each direction has its own reference, and a meter's file is read like a pasted table", async ({ page }) => {
  await signIn(page, "joss");
  const ready = (await endsOf(page, "to-measure")).find((e) => e.address.startsWith("BH-P1"));
  await page.goto(`/measure/${ready.endId}`);
  const reference = page.getByLabel("Reference (dBm)").first();
  await reference.fill("-19.7");
  await reference.blur();
  await choose(page, "Light goes", ready.side === "B" ? "A to B" : "B to A");
  await expect(reference).toHaveValue(""); // the source stands at the other end
  await choose(page, "Light goes", ready.side === "B" ? "B to A" : "A to B");
  await expect(reference).toHaveValue("-19.70");

  await page.getByText("Whole panel", { exact: true }).click();
  await page.locator("input[type=file]").first().setInputFiles({ name: "meter.csv", mimeType: "text/csv", buffer: Buffer.from(`Port;nm;Power dBm\n${ready.port};1310;-20.12\n`) });
  await expect(page.getByRole("row").filter({ hasText: ready.address }).last()).toContainText("0.42");
});
