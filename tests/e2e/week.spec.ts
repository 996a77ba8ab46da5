import { expect, test } from "@playwright/test";
import { api, choose, signIn } from "./crew";

test("a lead makes next week for both crews: what is dragged stays, a closed space waits, and everybody's Today agrees", async ({ page, browser }) => {
  await signIn(page, "joss");
  await page.getByRole("link", { name: "Week", exact: true }).click();
  await page.getByRole("button", { name: "Week after" }).click();
  await page.getByRole("button", { name: "Plan the week" }).click();
  await expect(page.getByText(/^All done by/)).toBeVisible({ timeout: 60_000 });
  await expect(page.getByRole("button", { name: "Plan again from now" })).toBeVisible({ timeout: 90_000 });
  const view = async () => api(page, `/api/week?on=${new URL(page.url()).searchParams.get("on")}`);
  const first = await view();
  expect(new Set(first.work.labels.map((l: { jobId: string }) => l.jobId)).size).toBeGreaterThan(1);
  expect(new Set(first.work.labels.map((l: { crewId: string }) => l.crewId)).size).toBe(2);

  // Dragged by hand to another day; a second one by keys.
  const chart = page.getByRole("group", { name: "The week, by rows of people or tools" });
  const bars = chart.getByRole("button");
  const bar = bars.first();
  await bar.scrollIntoViewIfNeeded();
  const box = await bar.boundingBox();
  if (!box) throw new Error("no bar");
  await page.mouse.move(box.x + 2, box.y + box.height / 2);
  await page.mouse.down();
  await page.mouse.move(box.x + 200, box.y + box.height / 2, { steps: 6 });
  await expect(page.getByRole("status").filter({ hasText: "from" })).toBeVisible();
  await page.mouse.up();
  await expect(page.getByText("You changed what is wished for")).toBeVisible();
  await bars.nth(3).focus();
  await page.keyboard.press("Enter");
  await page.getByLabel("Begins").fill("10:00");
  const space = first.work.labels[0].space as string;
  await choose(page, `${space} is closed until`, (await page.locator("body").evaluate((_, m) => new Intl.DateTimeFormat("en-GB", { dateStyle: "medium", timeZone: "UTC" }).format(new Date(Date.parse(`${m}T12:00Z`) + 86_400_000)), first.monday)) as string);
  await page.getByRole("button", { name: "Plan again from now" }).click();
  await expect.poll(async () => Object.keys((await view()).wishes.pins).length, { timeout: 20_000 }).toBe(2);
  await expect.poll(async () => (await view()).stage, { timeout: 120_000 }).toBe("done");
  const second = await view();
  const pins = Object.entries(second.wishes.pins as Record<string, { start: number }>);
  expect(pins.length).toBe(2);
  const starts = new Map(second.plan.plan.tasks.map((t: { id: string; stretches: { from: number }[] }) => [t.id, t.stretches[0]?.from]));
  if (second.plan.plan.outcome !== "impossible") {
    for (const [id, pin] of pins) expect(starts.get(id)).toBe(pin.start);
    for (const l of second.work.labels) if (l.space === space) expect(starts.get(l.id)).toBeGreaterThanOrEqual(1440);
  } else await expect(page.getByText(/cannot hold together/)).toBeVisible();
  await page.getByText("By tool").click();
  await expect(chart.locator("text").filter({ hasText: "Meters" })).toBeVisible();

  const phone = await (await browser.newContext({ viewport: { width: 390, height: 844 } })).newPage();
  await signIn(phone, "tamsin", new URL(page.url()).origin);
  const mine = await api(phone, "/api/week/mine");
  const me = (await api(phone, "/api/session")).person.personId;
  const planned = second.plan.plan.tasks.filter((t: { people: string[] }) => t.people.includes(me)).map((t: { id: string }) => t.id);
  expect(mine.map((m: { label: { id: string } }) => m.label.id).sort()).toEqual(planned.sort());
  if (planned.length > 0) await expect(phone.getByRole("heading", { name: /^Planned for you/ })).toBeVisible();
});
