import { expect, test } from "@playwright/test";
import { begin, card, plan, sideways, signIn, workOn } from "./crew";

test.use({ viewport: { width: 390, height: 844 }, hasTouch: true });

test("a batch on a phone: no answer lies behind the tab bar, and the proof fits", async ({ page }) => {
  test.slow();
  await signIn(page, "joss");
  await plan(page, "PH", { form: "SC", polish: "UPC", method: "wedge-locked", construction: "cordage-3.0", mode: "multimode", fiber: "OM4", strands: 2 });
  expect(await sideways(page)).toEqual([]);
  await begin(page, 2);
  const hidden: string[] = [];
  // At every act, each answer can be brought to where a thumb meets it and nothing else.
  for (let n = 0; n < 60; n++) {
    const act = await card(page).locator("p.act").innerText();
    if (act.startsWith("Prove 2")) break;
    for (const answer of await card(page).locator(".answers button").all()) {
      await answer.scrollIntoViewIfNeeded();
      if (!(await answer.evaluate((e) => {
        const r = e.getBoundingClientRect();
        const bar = (document.querySelector("nav.rail") as HTMLElement).getBoundingClientRect();
        return r.bottom <= bar.top + 0.5 && [r.top + 3, r.bottom - 3].every((y) => e.contains(document.elementFromPoint(r.left + r.width / 2, y)));
      }))) hidden.push(act);
    }
    hidden.push(...(await sideways(page)));
    await workOn(page, new RegExp(`^(?!${act.replace(/[.*+?^${}()|[\]\\]/g, "\\$&")})`));
  }
  expect(hidden).toEqual([]);
  await expect(card(page).locator("p.act")).toHaveText("Prove 2 connectors");
  await expect(card(page).locator("p.act")).toBeInViewport(); // the act that comes next is shown, not scrolled away
  expect(await sideways(page)).toEqual([]);
  for (const box of await card(page).locator("table.proof .ant-input-number").all()) expect((await box.boundingBox())?.width).toBeGreaterThan(60);
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
