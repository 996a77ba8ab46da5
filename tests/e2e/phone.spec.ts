import { expect, type Page, test } from "@playwright/test";
import { begin, card, plan, sideways, signIn, workOn } from "./crew";

test.use({ viewport: { width: 390, height: 844 }, hasTouch: true });

/** Answers that a thumb does not meet at once: below the fold, above the top, or behind a bar. */
const outOfReach = (page: Page) =>
  page.evaluate(() => {
    const bar = document.querySelector("nav.rail")?.getBoundingClientRect();
    const floor = bar && bar.top > innerHeight / 2 ? bar.top : innerHeight;
    return [...document.querySelectorAll(".hand .answers button")].flatMap((b) => {
      const r = b.getBoundingClientRect();
      const met = [r.top + 3, r.bottom - 3].every((y) => b.contains(document.elementFromPoint(r.left + r.width / 2, y)));
      return r.top >= 0 && r.bottom <= floor + 0.5 && met ? [] : [`${document.querySelector("p.act")?.textContent}: ${b.textContent}`];
    });
  });

/** Works on to the proof; what of each act could not be answered where it stood, without scrolling. */
async function workToProof(page: Page) {
  const hidden: string[] = [];
  for (let n = 0; n < 90; n++) {
    const act = await card(page).locator("p.act").innerText();
    if (act.startsWith("Prove 2")) return hidden;
    await expect.poll(() => outOfReach(page), { timeout: 2000 }).toEqual([]).catch(() => {});
    hidden.push(...(await outOfReach(page)), ...(await sideways(page)));
    await workOn(page, new RegExp(`^(?!${act.replace(/[.*+?^${}()|[\]\\]/g, "\\$&")})`));
  }
  throw new Error("never came to the proof");
}

const made = { form: "SC", polish: "UPC", construction: "cordage-3.0", mode: "multimode", fiber: "OM4", strands: 2 };

test("a phone that lies on its side: every answer of a run by adhesive stands where the thumb is", async ({ browser }) => {
  test.slow();
  const page = await (await browser.newContext({ viewport: { width: 640, height: 400 }, hasTouch: true })).newPage();
  await page.clock.install();
  await signIn(page, "joss");
  await plan(page, "PHL", { ...made, method: "cold-cure" });
  await begin(page, 2);
  expect(await workToProof(page)).toEqual([]);
});

test("a batch on a phone: no answer lies behind the tab bar, and the proof fits", async ({ page }) => {
  test.slow();
  await signIn(page, "joss");
  await plan(page, "PH", { ...made, method: "wedge-locked" });
  expect(await sideways(page)).toEqual([]);
  await begin(page, 2);
  const hidden = await workToProof(page);
  expect(hidden).toEqual([]);
  await expect(card(page).locator("p.act")).toHaveText("Prove 2 connectors");
  await expect(card(page).locator("p.act")).toBeInViewport(); // the act that comes next is shown, not scrolled away
  expect(await sideways(page)).toEqual([]);
  for (const box of await card(page).locator("table.proof .ant-input-number").all()) expect((await box.boundingBox())?.width).toBeGreaterThan(60);
  for (const button of await card(page).getByRole("button", { name: /^Face clean/ }).all())
    expect(await button.evaluate((e) => { e.scrollIntoView({ block: "center" }); const r = e.getBoundingClientRect(); return [r.left + 3, r.right - 3].every((x) => e.contains(document.elementFromPoint(x, r.top + r.height / 2))); })).toBe(true);
  expect(await card(page).locator("table.proof").evaluate((t) => t.getBoundingClientRect().right)).toBeLessThanOrEqual(390);

  // No far end is planned: the question stands by the readings, in words, and what waits says so there.
  await expect(card(page).getByText("No record shows a finished connector at the other end.")).toBeVisible();
  for (const nm of [850, 1300]) {
    await card(page).getByLabel(`Reference ${nm} nm (dBm)`).fill("-20");
    for (const strand of [1, 2]) await card(page).getByLabel(`Reading in dBm, strand ${strand}, ${nm} nm`).fill("-20.6");
  }
  for (const strand of [1, 2]) await card(page).getByRole("button", { name: `Face clean: strand ${strand}`, exact: true }).click();
  await card(page).getByRole("button", { name: "Record 4 readings" }).click();
  await expect(card(page).getByText("2 ends wait for this")).toBeInViewport();
  await card(page).getByText("The connector of this job, finished").click();
  await card(page).getByRole("button", { name: "Say so of 2 ends that wait" }).click();
  await expect(card(page).getByText("To accept").first()).toBeVisible();
});

test("what stands in the way is one tap, says so at once, and is lifted by another", async ({ page }) => {
  await signIn(page, "tamsin");
  await page.getByText("Cannot begin because").first().tap();
  const grey = await page.evaluate(() => {
    const canvas = Object.assign(document.createElement("canvas"), { width: 160, height: 120 });
    canvas.getContext("2d")?.fillRect(10, 10, 90, 70);
    return canvas.toDataURL("image/png").split(",")[1];
  });
  await page.locator(".thumb input[type=file]").first().setInputFiles({ name: "duct.png", mimeType: "image/png", buffer: Buffer.from(grey ?? "", "base64") });
  await expect(page.getByRole("button", { name: "Photo added: take another" }).first()).toBeVisible();
  await page.getByRole("button", { name: "Cable not pulled" }).first().tap();
  await expect(page.getByText("Written down: Cable not pulled.")).toBeVisible();
  await expect(page.getByRole("button", { name: "Cable not pulled" })).toHaveCount(0); // folded: no second tap says it twice
  const way = page.locator("section.card").filter({ has: page.getByRole("heading", { name: /^In the way/ }) });
  await expect(way.getByText("Cable not pulled")).toHaveCount(1);
  const photo = await way.getByRole("link", { name: "photo" }).getAttribute("href");
  await expect(async () => expect((await page.request.get(photo ?? "")).headers()["content-type"]).toBe("image/png")).toPass();
  await way.getByRole("button", { name: "No longer" }).tap();
  await expect(way).toHaveCount(0);
});
