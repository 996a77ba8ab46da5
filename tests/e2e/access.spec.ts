import { expect, test } from "@playwright/test";
import { api, signIn } from "./crew";

test("nothing is blocked by the content policy, and nothing is asked of another host", async ({ page }) => {
  const wrong: string[] = [];
  page.on("console", (m) => m.type() === "error" && wrong.push(m.text()));
  page.on("request", (r) => !/^(http:\/\/127\.0\.0\.1|data:)/.test(r.url()) && wrong.push(r.url()));
  await signIn(page, "mira");
  for (const path of ["/plan", "/bench", "/handover", "/methods", "/office/people"]) {
    await page.goto(path);
    await page.waitForLoadState("networkidle");
  }
  expect(wrong).toEqual([]);
});

test("the bench works at 390 px: the hand card comes first and nothing runs off the side", async ({ page }) => {
  await page.setViewportSize({ width: 390, height: 844 });
  await signIn(page, "tamsin");
  const at = (await api(page, "/api/ends?status=at-bench&limit=1"))[0];
  const end = await api(page, `/api/ends/${at.endId}`);
  await page.goto(`/bench/${end.jobId}/${end.placeId}/${end.endId}`);
  const first = page.locator(".answers button").first();
  await expect(first).toBeInViewport();
  expect((await first.boundingBox())?.height).toBeGreaterThanOrEqual(48);
  expect(await page.evaluate(() => document.documentElement.scrollWidth)).toBeLessThanOrEqual(390);
});

test("a viewer reads the job named to them and finds no way to write", async ({ page }) => {
  const refused: string[] = [];
  page.on("response", (r) => r.status() >= 400 && !r.url().endsWith("/api/session") && refused.push(`${r.status()} ${r.url()}`));
  await signIn(page, "warden");
  await expect(page.getByRole("link", { name: "Gullrock Observatory" }).first()).toBeVisible();
  // Jobs, a job, all connectors and one's record: nothing is asked for that a customer is not told, and no crew is named.
  await page.getByRole("link", { name: "Jobs", exact: true }).click();
  await page.getByRole("link", { name: "Gullrock Observatory" }).first().click();
  await expect(page.locator(".loom").first()).toBeVisible();
  await page.goto("/handover");
  await expect(page.getByRole("row").nth(3)).toBeVisible();
  expect(await page.getByText(/Heron|Tern/).count()).toBe(0);
  await page.getByRole("row").nth(3).getByRole("link").first().click();
  await expect(page.getByRole("heading", { level: 1 })).toBeVisible();
  expect(await page.getByText(/Heron crew|Tern crew/).count()).toBe(0);
  for (const room of ["Bench", "Look", "Measure", "Prep card"]) await expect(page.getByRole("link", { name: room, exact: true })).toHaveCount(0);
  await expect(page.getByText("Slack left")).toHaveCount(0);
  await page.goto("/methods");
  await expect(page.getByText("There is no such page.")).toBeVisible();
  expect(refused).toEqual([]);
  await expect(page.getByRole("link", { name: "Plan" })).toHaveCount(0);
  await expect(page.getByRole("link", { name: "Bench" })).toHaveCount(0);
  // The office's room is the office's alone, also by its address.
  await expect(page.getByRole("link", { name: "Office" })).toHaveCount(0);
  await page.goto("/office/people");
  await expect(page.getByText("There is no such page.")).toBeVisible();
});
