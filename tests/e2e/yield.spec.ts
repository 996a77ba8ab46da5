import { expect, test } from "@playwright/test";
import { api, choose, signIn } from "./crew";

test("the office sees what is good at once by whatever is asked for, down to the ends, and people only once the company names them", async ({ page, browser }) => {
  await signIn(page, "mira");
  // A fresh company's facts follow its ledger within seconds.
  await expect.poll(async () => (await api(page, "/api/yield")).made, { timeout: 60_000 }).toBeGreaterThan(60);
  await page.getByRole("link", { name: "Yield", exact: true }).click();
  await expect(page.getByRole("heading", { name: "What stands out" })).toBeVisible();
  await expect(page.getByText(/of \d+ connectors were good at once/)).toBeVisible();
  const row = page.getByRole("row").filter({ hasText: "Wedge-locked" });
  // Others work beside this test: what is on screen is compared with what is so at that moment.
  await expect(async () => {
    await page.reload();
    const made = (await api(page, "/api/yield?by=method")).groups.find((g: { key: string }) => g.key === "wedge-locked").rate.made;
    await expect(row.getByRole("cell").nth(1)).toHaveText(`${made}`, { timeout: 3000 });
  }).toPass({ timeout: 40_000 });
  await expect(page.getByRole("group", { name: /^Good at once, with its interval/ })).toBeVisible();

  // Down to the connectors behind it, those that went back first, and each leads to its record. The view has an address.
  await row.getByRole("button", { name: "Wedge-locked" }).click();
  const behind = page.getByRole("region", { name: "Behind Wedge-locked" });
  await expect.poll(() => behind.getByRole("row").count()).toBeGreaterThan(40);
  await page.reload();
  await expect(behind.getByRole("row").nth(1)).toContainText(/given up|accepted after rework/);
  await behind.getByRole("link").first().click();
  await expect(page).toHaveURL(/\/handover\//);
  await page.goBack();

  // What the table shows is what the file says.
  const [file] = await Promise.all([page.waitForEvent("download"), page.getByRole("link", { name: "CSV" }).click()]);
  expect(file.suggestedFilename()).toBe("yield-by-method.csv");

  // People: nobody, then, once the company says so, by name; and back.
  await choose(page, "By", "Person");
  await expect(page.getByRole("cell", { name: "somebody" }).first()).toBeVisible();
  const naming = page.getByRole("checkbox", { name: /^Name people/ });
  await naming.check();
  await expect(page.getByRole("button", { name: "Tamsin Vey", exact: true })).toBeVisible();
  await naming.uncheck();
  await expect.poll(async () => (await api(page, "/api/yield/settings")).namesPeople).toBe(false);

  // An installer on a phone sees their own and nobody else's; a viewer has no such room.
  const phone = await (await browser.newContext({ viewport: { width: 390, height: 844 }, hasTouch: true })).newPage();
  await signIn(phone, "tamsin");
  await phone.goto("/yield?by=person");
  await expect(phone.getByRole("button", { name: "Tamsin Vey", exact: true })).toBeVisible();
  await expect(phone.getByRole("cell", { name: "somebody" })).toHaveCount(0);
  await phone.context().close();
  const viewer = await (await browser.newContext()).newPage();
  await signIn(viewer, "warden");
  await expect(viewer.getByRole("link", { name: "Yield", exact: true })).toHaveCount(0);
  await viewer.goto("/yield");
  await expect(viewer.getByRole("heading", { name: "What stands out" })).toHaveCount(0);
  await viewer.context().close();
});
