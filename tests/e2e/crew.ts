import { expect, type Page } from "@playwright/test";

export const PASSWORD = "lantern-room-9";

/** Signs one of the demo's people in. */
export async function signIn(page: Page, login: string) {
  await page.goto("/");
  await page.getByLabel("Sign-in name").fill(login);
  await page.getByLabel("Password", { exact: true }).fill(PASSWORD);
  await page.getByRole("button", { name: "Sign in" }).click();
  await expect(page.getByRole("heading", { name: "Today" })).toBeVisible();
}

export const api = (page: Page, path: string) => page.evaluate((p) => fetch(p).then((r) => r.json()), path);

/** Opens a select by its label and takes the option. */
export async function choose(page: Page, label: string, option: string) {
  const box = page.getByLabel(label, { exact: true }).last();
  await box.click();
  await page.locator(".ant-select-dropdown:visible .ant-select-item-option-content").getByText(option, { exact: true }).click();
}
