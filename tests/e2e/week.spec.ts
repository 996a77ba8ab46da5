import { expect, test } from "@playwright/test";
import { api, choose, plan, signIn } from "./crew";
import { Wire } from "./wire";

// What hands took is learned from the ledger: here from the demo's alone, whatever other tests have made meanwhile.
const wire = new Wire(process.env.RHABDON_CALM_DB);
test.beforeAll(() => wire.open());
test.afterAll(() => wire.close());

test("a lead makes next week for both crews: what is dragged stays, a closed space waits, and everybody's Today agrees", async ({ page, browser }) => {
  await signIn(page, "joss", wire.address);
  await page.getByRole("link", { name: "Week", exact: true }).click();
  // On a weekend it is the next week that is shown.
  await expect(page.getByText(/^Week of /)).toBeVisible();
  if (Date.parse(`${(await api(page, "/api/week")).monday}T00:00Z`) <= Date.now()) await page.getByRole("button", { name: "Week after" }).click();
  await page.getByRole("button", { name: "Plan the week" }).click();
  await expect(page.getByText(/^All done by/)).toBeVisible({ timeout: 60_000 });
  await expect(page.getByRole("button", { name: "Plan again from now" })).toBeVisible({ timeout: 90_000 });
  const on = new URL(page.url()).searchParams.get("on");
  const view = async () => api(page, on ? `/api/week?on=${on}` : "/api/week");
  const first = await view();
  expect(new Set(first.work.labels.map((l: { jobId: string }) => l.jobId)).size).toBeGreaterThan(1);
  expect(new Set(first.work.labels.map((l: { crewId: string }) => l.crewId)).size).toBe(2);

  // Dragged by hand to another day; a second one by keys.
  const chart = page.getByRole("group", { name: "The week, by rows of people or tools" });
  await page.getByRole("radiogroup", { name: "How wide a day is" }).getByText("Week", { exact: true }).click();
  const bars = chart.getByRole("button");
  const bar = bars.first();
  // A bar that is only tapped is chosen, and nothing is wished for.
  await bar.click();
  await expect(page.getByText("You changed what is wished for")).toHaveCount(0);
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
  // A space is closed in which neither of the two lies.
  const moved = await Promise.all([0, 3].map((n) => bars.nth(n).getAttribute("aria-label")));
  const space = first.work.labels.find((l: { space: string }) => !moved.some((m) => first.work.labels.some((o: { space: string; place: string }) => o.space === l.space && m?.includes(` ${o.place},`)))).space as string;
  await choose(page, `${space} is closed until`, (await page.locator("body").evaluate((_, m) => new Intl.DateTimeFormat("en-GB", { dateStyle: "medium", timeZone: "UTC" }).format(new Date(Date.parse(`${m}T12:00Z`) + 86_400_000)), first.monday)) as string);
  await page.getByRole("button", { name: "Plan again from now" }).click();
  await expect.poll(async () => Object.keys((await view()).wishes.pins).length, { timeout: 20_000 }).toBe(2);
  await expect.poll(async () => (await view()).stage, { timeout: 120_000 }).toBe("done");
  const second = await view();
  const pins = Object.entries(second.wishes.pins as Record<string, { start: number }>);
  expect(pins.length).toBe(2);
  const starts = new Map(second.plan.plan.tasks.map((t: { id: string; stretches: { from: number }[] }) => [t.id, t.stretches[0]?.from]));
  expect(second.plan.plan.outcome).not.toBe("impossible");
  for (const [id, pin] of pins) expect(starts.get(id)).toBe(pin.start);
  for (const l of second.work.labels) if (l.space === space) expect(starts.get(l.id)).toBeGreaterThanOrEqual(1440);
  await page.getByText("By tool").click();
  await expect(chart.locator("text").filter({ hasText: "Meters" })).toBeVisible();

  // A wish for the night cannot be: it is named, let go with one press, and until then everybody's part is that of the plan before.
  await page.getByText("By person").click();
  await bars.nth(3).focus();
  await page.keyboard.press("Enter");
  await page.getByLabel("Begins").fill("03:00");
  await page.getByRole("button", { name: "Plan again from now" }).click();
  await expect(page.getByText("These wishes cannot hold together:")).toBeVisible({ timeout: 60_000 });
  await expect(bars.first()).toBeVisible();
  await page.getByRole("button", { name: /^Let it go: / }).first().click();
  await expect(page.getByText("You changed what is wished for")).toBeVisible();

  const phone = await (await browser.newContext({ viewport: { width: 390, height: 844 } })).newPage();
  await signIn(phone, "tamsin", wire.address);
  const mine = await api(phone, "/api/week/mine");
  const me = (await api(phone, "/api/session")).person.personId;
  const planned = second.plan.plan.tasks.filter((t: { people: string[] }) => t.people.includes(me)).map((t: { id: string }) => t.id);
  expect(mine.map((m: { label: { id: string } }) => m.label.id).sort()).toEqual(planned.sort());
  if (planned.length > 0) await expect(phone.getByRole("heading", { name: /^Planned for you/ })).toBeVisible();

  // The lead's finger: it scrolls over the week, what it tapped goes along with it.
  const hand = await (await browser.newContext({ viewport: { width: 390, height: 844 }, hasTouch: true, isMobile: true })).newPage();
  await signIn(hand, "joss", wire.address);
  await hand.goto(new URL(`/week${on ? `?on=${on}` : ""}`, wire.address).href);
  const touched = hand.getByRole("group", { name: "The week, by rows of people or tools" }).getByRole("button").first();
  const finger = await hand.context().newCDPSession(hand);
  const draw = async () => {
    await touched.scrollIntoViewIfNeeded();
    const at = await touched.boundingBox();
    if (!at) throw new Error("no bar");
    const [x, y] = [at.x + Math.min(at.width, 30) / 2, at.y + at.height / 2];
    await finger.send("Input.dispatchTouchEvent", { type: "touchStart", touchPoints: [{ x, y }] });
    for (let n = 1; n <= 6; n++) await finger.send("Input.dispatchTouchEvent", { type: "touchMove", touchPoints: [{ x: x + n * 10, y }] });
    await finger.send("Input.dispatchTouchEvent", { type: "touchEnd", touchPoints: [] });
  };
  await draw();
  await expect(hand.getByLabel("Begins")).toHaveCount(0);
  await touched.tap();
  await expect(hand.getByLabel("Begins")).toBeVisible();
  await expect(hand.getByText("You changed what is wished for")).toHaveCount(0);
  const begins = await hand.getByLabel("Begins").inputValue();
  await draw();
  await expect(hand.getByText("You changed what is wished for")).toBeVisible();
  await expect(hand.getByLabel("Begins")).not.toHaveValue(begins);
});

test("at ten past three a batch of twelve is cut to what is done by half past four, and a person's day off is out of the next plan", async ({ page }) => {
  await signIn(page, "joss", wire.address);
  const { path } = await plan(page, "LV", { form: "LC", polish: "UPC", mode: "multimode", method: "wedge-locked", fiber: "OM4", construction: "tight-buffer-900", strands: 12 });
  const zone = (await api(page, "/api/jobs/at-hand"))[0].timeZone ?? "UTC";
  // A Tuesday, by the site's clock: how far that clock is from UTC is the platform's to say.
  const utc = Date.parse("2026-12-01T15:10:00Z");
  const shown = new Intl.DateTimeFormat("sv-SE", { timeZone: zone, dateStyle: "short", timeStyle: "medium" }).format(utc).replace(" ", "T");
  await page.clock.setFixedTime(utc - (Date.parse(`${shown}Z`) - utc));
  await page.goto(`${wire.address}${path}`);
  const hand = page.getByRole("complementary", { name: "Bench" });
  await hand.getByRole("button", { name: "First 12" }).click();
  const said = hand.getByText(/^Start \d+, not 12\.$/);
  await expect(said).toBeVisible();
  const fewer = Number((await said.innerText()).match(/\d+/)?.[0]);
  expect(fewer).toBeGreaterThan(3);
  expect(fewer).toBeLessThan(9);
  await expect(hand.getByText(new RegExp(`${fewer} are made, looked at and tested by 16:30 with \\d+ %`))).toBeVisible();
  await hand.getByRole("button", { name: `Take ${fewer}` }).click();
  await expect(hand.getByRole("button", { name: new RegExp(`^Begin.*${fewer}`) })).toBeVisible();
  await expect(said).toHaveCount(0);
  await hand.getByLabel("I leave at").fill("18:30");
  await hand.getByRole("button", { name: "First 12" }).click();
  await expect(hand.getByText(/12 are made, looked at and tested by 18:30/)).toBeVisible();

  await page.goto(`${wire.address}/week?on=2026-12-01`);
  const row = page.getByRole("group", { name: "Tamsin Vey" });
  await row.getByLabel("When Tamsin Vey is away").click();
  await page.locator(".ant-select-dropdown:visible .ant-select-item-option").first().click();
  await page.keyboard.press("Escape");
  await page.getByRole("button", { name: "Save" }).click();
  await expect.poll(async () => (await api(page, "/api/week")).figures.people.map((p: { away: string[] }) => p.away)).toEqual([["2026-11-30"]]);
});
