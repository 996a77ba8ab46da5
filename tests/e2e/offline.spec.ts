import { mkdtempSync, readdirSync, readFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { chromium, expect, type Page, test } from "@playwright/test";
import { api, begin, card, plan, signIn, workOn, write } from "./crew";
import { Wire } from "./wire";

const wedge = { form: "SC", polish: "UPC", method: "wedge-locked", construction: "cordage-3.0", mode: "multimode", fiber: "OM4" };

let wire: Wire;
test.beforeAll(async () => {
  wire = new Wire();
  await wire.open();
});
test.afterAll(() => wire.close());
test.beforeEach(() => {
  wire.mode = "through";
});

type Event = { id: string; endId: string; deviceId: string; deviceSeq: number };

/** What waits on the device, read from its own store. */
const waiting = (page: Page): Promise<Event[]> =>
  page.evaluate(
    () =>
      new Promise((done) => {
        const open = indexedDB.open("rhabdon");
        open.onsuccess = () => {
          const all = open.result.transaction("outbox").objectStore("outbox").getAll();
          all.onsuccess = () => done(all.result.map((e: Event) => ({ id: e.id, endId: e.endId, deviceId: e.deviceId, deviceSeq: e.deviceSeq })));
        };
      }),
  );

/** Every event that a device made is in the ledger exactly once, and those of an end in the order the device made them. */
async function inLedgerOnce(page: Page, made: Event[]) {
  expect(made.length).toBeGreaterThan(0);
  // What is said of a batch or of the kit, where no test before has said it, is of no end.
  for (const { endId, deviceId } of made.filter((e) => e.endId)) {
    const { entries } = await api(page, `/api/ends/${endId}/record`);
    const ids = entries.map((e: { eventId: string }) => e.eventId);
    expect(new Set(ids).size).toBe(ids.length);
    const mine = made.filter((e) => e.endId === endId && e.deviceId === deviceId).sort((a, b) => a.deviceSeq - b.deviceSeq).map((e) => e.id);
    expect(ids.filter((id: string) => mine.includes(id))).toEqual(mine);
  }
}

const allSent = (page: Page) => expect(page.getByText("All sent")).toBeVisible({ timeout: 30_000 });

/** Kills the browser that was started on this folder, as a dead battery would. */
function killBrowser(home: string) {
  for (const pid of readdirSync("/proc").filter((d) => /^\d+$/.test(d))) {
    try {
      if (readFileSync(`/proc/${pid}/cmdline`, "utf8").includes(`--user-data-dir=${home}`)) process.kill(Number(pid), "SIGKILL");
    } catch {
      // gone already
    }
  }
}

/** Waits until the app is kept on the device, and this page comes from there: one that was open before may have to be opened again. */
const taken = (page: Page) =>
  expect(async () => {
    const kept = () => page.evaluate(async () => ({ kept: (await navigator.serviceWorker.getRegistration())?.active?.state === "activated", from: navigator.serviceWorker.controller !== null }));
    const first = await kept();
    if (first.kept && !first.from) {
      await page.waitForTimeout(2000);
      if (!(await kept()).from) await page.reload();
    }
    expect(first).toEqual({ kept: true, from: true });
  }).toPass({ timeout: 60_000, intervals: [500, 1000, 3000] });

/** A device at the bench of a new panel, a batch begun and everything sent. */
async function atBench(page: Page, code: string, strands = 2) {
  await signIn(page, "joss", wire.address);
  const job = await plan(page, code, { ...wedge, strands });
  await begin(page, strands);
  await allSent(page);
  await taken(page);
  // A page that was opened anew takes no key before its bench is there.
  await expect(card(page).locator("p.act")).toBeVisible();
  return job;
}

test("the network is cut in mid-batch: the app opens again, the whole run goes on, all of it arrives", async ({ page, context }) => {
  const job = await atBench(page, "N1");
  await workOn(page, "Mark the buffer and strip");
  await context.setOffline(true);
  await workOn(page, /Bend the glass/);
  await page.reload(); // in a basement, from what the device keeps
  await expect(page.getByText(/unsent/)).toBeVisible();
  await expect(page.getByRole("status").filter({ hasText: /as of \d/ })).toBeVisible();
  await page.goto(`${wire.address}/`);
  await page.getByRole("link", { name: "Bench" }).first().click();
  await page.goto(wire.address + job.path);
  await workOn(page, "Prove 2 connectors");
  const made = await waiting(page);
  await context.setOffline(false);
  await allSent(page);
  await inLedgerOnce(page, made);
  for (const end of await job.ends()) expect(end.state.status).toBe("to-look");
  await page.getByRole("link", { name: "Today" }).first().click();
  await expect(page.getByRole("heading", { name: "Waiting for a decision" })).toBeVisible();
  await expect(page.getByText(/as of \d/)).toHaveCount(0);
});

test("the browser's process is killed and opened again", async () => {
  const home = mkdtempSync(join(tmpdir(), "rhabdon-device-"));
  const launch = async () => {
    const context = await chromium.launchPersistentContext(home, { executablePath: "/usr/bin/chromium", args: ["--no-sandbox", "--disable-gpu"], viewport: { width: 1280, height: 800 } });
    return context.pages()[0] ?? (await context.newPage());
  };
  let page = await launch();
  const job = await atBench(page, "N2");
  wire.mode = "down";
  await workOn(page, /Wipe the bare glass/);
  await page.waitForTimeout(500);
  const made = await waiting(page);
  killBrowser(home);
  page = await launch();
  await page.goto(wire.address + job.path);
  await expect(card(page).getByText("Wipe the bare glass with alcohol")).toBeVisible();
  await expect(page.getByText(`${made.length} unsent`)).toBeVisible();
  wire.mode = "through";
  // The browser may not have written the sign-in down before it was killed; what was worked is there all the same.
  const entrance = page.getByLabel("Sign-in name");
  await expect(entrance.or(page.getByText("All sent"))).toBeVisible({ timeout: 30_000 });
  if (await entrance.isVisible()) await signIn(page, "joss", wire.address);
  await allSent(page);
  await inLedgerOnce(page, made);
  await page.context().close();
});

test("the server is killed between receiving and answering", async ({ page }) => {
  await atBench(page, "N3");
  wire.mode = "kill-before-answer";
  await page.keyboard.press("1");
  await expect.poll(() => wire.killed).toBeGreaterThan(0);
  await page.keyboard.press("1");
  const made = await waiting(page);
  expect(made.length).toBeGreaterThanOrEqual(2);
  await wire.startServer();
  wire.mode = "through";
  await allSent(page);
  await inLedgerOnce(page, made);
});

test("the same events sent five times", async ({ page }) => {
  const job = await atBench(page, "N4");
  wire.mode = "down";
  await workOn(page, "Mark the buffer and strip");
  const made = await waiting(page);
  wire.mode = "repeat";
  await allSent(page);
  await inLedgerOnce(page, made);
  expect((await job.ends())[0].state.attempts).toHaveLength(1);
});

test("two devices begin the same end offline: both attempts are kept, and the lead settles it", async ({ browser }) => {
  const device = async () => (await browser.newContext()).newPage();
  const [one, two] = [await device(), await device()];
  await signIn(one, "joss", wire.address);
  const job = await plan(one, "N5", { ...wedge, strands: 1 });
  await signIn(two, "tamsin", wire.address);
  await two.goto(wire.address + job.path);
  await expect(card(two).getByRole("button", { name: "First 1" })).toBeVisible();
  for (const page of [one, two]) await page.context().setOffline(true);
  const made: Event[] = [];
  for (const page of [one, two]) {
    await begin(page, 1);
    await workOn(page, "Mark the buffer and strip");
    made.push(...(await waiting(page)));
  }
  for (const page of [one, two]) {
    await page.context().setOffline(false);
    await allSent(page);
  }
  await inLedgerOnce(one, made);
  const end = (await job.ends())[0];
  expect([end.state.attempts.length, end.state.conflict, end.state.status]).toEqual([2, true, "needs-decision"]);
  const second = end.state.attempts[1];
  // On Today, where it is seen: both runs side by side, each with who made it.
  await one.goto(`${wire.address}/`);
  await one.getByRole("button", { name: new RegExp(`${end.address} Two devices worked it at once`) }).click();
  await expect(one.getByText("Tamsin Vey, attempt 1")).toBeVisible();
  await one.getByRole("button", { name: "What Joss Arkwright began counts" }).click();
  await expect.poll(async () => (await job.ends())[0].state.conflict).toBe(false);
  expect((await job.ends())[0].state.attempts.filter((a: { closed: unknown }) => a.closed)).toHaveLength(1);
  expect(second.runId).toBeTruthy();
});

test("two devices go on with the same run offline: nothing is lost and nothing moves twice", async ({ browser }) => {
  const device = async () => (await browser.newContext()).newPage();
  const [one, two] = [await device(), await device()];
  const job = await atBench(one, "N6", 1);
  await signIn(two, "tamsin", wire.address);
  await two.goto(wire.address + job.path);
  await expect(card(two).locator("p.act")).toBeVisible();
  for (const page of [one, two]) await page.context().setOffline(true);
  await workOn(one, "Mark the buffer and strip");
  await workOn(two, "Mark the jacket");
  const made = [...(await waiting(one)), ...(await waiting(two))];
  for (const page of [one, two]) {
    await page.context().setOffline(false);
    await allSent(page);
  }
  await inLedgerOnce(one, made);
  const end = (await job.ends())[0];
  expect([end.state.attempts[0].position.stateId, end.state.conflict]).toEqual(["buffer", true]);
  await one.goto(`${wire.address}/handover/${end.endId}`);
  await one.getByRole("button", { name: "Keep this run, set those aside" }).click();
  await expect.poll(async () => (await job.ends())[0].state.conflict).toBe(false);
});

test("a device clock that is two hours wrong", async ({ page }) => {
  await page.clock.install({ time: Date.now() + 2 * 3_600_000 });
  const job = await atBench(page, "N7");
  wire.mode = "down";
  await workOn(page, "Mark the buffer and strip");
  const made = await waiting(page);
  wire.mode = "through";
  await page.clock.runFor(6000);
  await allSent(page);
  await inLedgerOnce(page, made);
  expect((await job.ends())[0].state.attempts[0].position.stateId).toBe("buffer");
});

test("the sign-in expires while offline", async ({ page, context }) => {
  const job = await atBench(page, "N8");
  await context.setOffline(true);
  await workOn(page, "Mark the buffer and strip");
  const made = await waiting(page);
  await context.clearCookies();
  await context.setOffline(false);
  await expect(page.getByLabel("Sign-in name")).toBeVisible({ timeout: 30_000 });
  expect(await waiting(page)).toHaveLength(made.length);
  await signIn(page, "joss", wire.address);
  await allSent(page);
  await inLedgerOnce(page, made);
  expect((await job.ends())[0].state.attempts[0].position.stateId).toBe("buffer");
});

test("a newer version is published meanwhile: the run keeps the one it began with", async ({ page, context, browser }) => {
  await signIn(page, "joss", wire.address);
  const id = `our-wedge-${Date.now()}`;
  const publish = async (from: Page, version: number) => {
    await write(from, "POST", "/api/procedures/copies", { procedureId: version === 1 ? "wedge-locked-upc-3mm" : id, version: version === 1 ? 5 : 1, id, title: "Our wedge" });
    await write(from, "POST", `/api/procedures/${id}/${version}/publish`, {});
  };
  await publish(page, 1);
  const job = await plan(page, "N9", { ...wedge, strands: 2, procedure: id });
  await begin(page, 1);
  await allSent(page);
  await taken(page);
  await context.setOffline(true);
  await workOn(page, "Mark the buffer and strip");
  const office = await (await browser.newContext()).newPage();
  await signIn(office, "mira", wire.address);
  await publish(office, 2);
  await workOn(page, "Prove 1 connector");
  const made = await waiting(page);
  await context.setOffline(false);
  await allSent(page);
  await inLedgerOnce(page, made);
  const [begun, planned] = await job.ends();
  expect([begun.state.attempts[0].procedureVersion, begun.state.attempts[0].position.outcome, planned.procedureVersion]).toEqual([1, "finished", 2]);
});

test("a device that has no room left sends at once, and says so where it cannot", async ({ page, context }) => {
  await page.addInitScript(() => {
    const add = IDBObjectStore.prototype.add;
    IDBObjectStore.prototype.add = function (...a) {
      if ((window as unknown as { full?: boolean }).full) throw new DOMException("full", "QuotaExceededError");
      return add.apply(this, a);
    };
  });
  const job = await atBench(page, "N10", 1);
  await page.evaluate(() => Object.assign(window, { full: true }));
  await page.keyboard.press("1");
  await expect(card(page).locator("p.act")).toContainText("Clamp the cable");
  expect((await job.ends())[0].state.attempts[0].position.stateId).toBe("clamp");
  await context.setOffline(true);
  await page.keyboard.press("Enter");
  await expect(page.getByText("no room left")).toBeVisible();
  await expect(card(page).locator("p.act")).toContainText("Clamp the cable"); // nothing was done, and the screen says so
  await page.evaluate(() => Object.assign(window, { full: false }));
  await page.keyboard.press("Enter");
  await expect(card(page).locator("p.act")).toContainText("Slide the boot on");
  const made = await waiting(page);
  await context.setOffline(false);
  await allSent(page);
  await inLedgerOnce(page, made);
});
