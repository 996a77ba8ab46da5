import { expect, type Locator, type Page } from "@playwright/test";

export const PASSWORD = "lantern-room-9";

/** Signs one of the demo's people in. */
export async function signIn(page: Page, login: string, address = "") {
  await page.goto(`${address}/`);
  await page.getByLabel("Sign-in name").fill(login);
  await page.getByLabel("Password", { exact: true }).fill(PASSWORD);
  await page.getByRole("button", { name: "Sign in" }).click();
  await expect(page.getByRole("heading", { name: "Today" })).toBeVisible();
}

export const api = (page: Page, path: string) =>
  page.evaluate(async (p) => {
    const r = await fetch(p);
    const text = await r.text();
    if (!r.ok) throw new Error(`${p}: ${r.status} ${text}`);
    return JSON.parse(text);
  }, path);

/** Writes to the server as the page's own person. */
export const write = (page: Page, method: string, path: string, body: unknown) =>
  page.evaluate(
    async ([m, p, b]) => {
      const { token } = await fetch("/api/session").then((r) => r.json());
      const r = await fetch(p as string, { method: m as string, headers: { "Content-Type": "application/json", "X-Rhabdon-Token": token }, body: JSON.stringify(b) });
      const text = await r.text();
      if (!r.ok) throw new Error(`${m} ${p}: ${text}`);
      return text ? JSON.parse(text) : null;
    },
    [method, path, body] as const,
  );

/** What the server answers to a post, byte for byte. */
export async function bytes(page: Page, path: string, body: unknown) {
  const list = await page.evaluate(
    async ([p, b]) => {
      const { token } = await fetch("/api/session").then((r) => r.json());
      const answer = await fetch(p as string, { method: "POST", headers: { "Content-Type": "application/json", "X-Rhabdon-Token": token }, body: JSON.stringify(b) });
      return Array.from(new Uint8Array(await answer.arrayBuffer()));
    },
    [path, body] as const,
  );
  return Buffer.from(list);
}

/** Plans a cable with its own panels on the demo's first job, and opens its bench. */
export async function plan(page: Page, code: string, o: { form: string; polish: string; mode: string; method: string; fiber: string; construction: string; strands: number; stub?: boolean; procedure?: string }) {
  const [job] = await api(page, "/api/jobs/at-hand");
  const base = `/api/jobs/${job.jobId}`;
  const space = (await write(page, "POST", `${base}/spaces`, { code, name: `Bench of ${code}` })).id;
  const panelId = (await write(page, "POST", `${base}/panels`, { spaceId: space, code: "P", ports: 24, adapterForm: o.form, angled: o.polish === "APC" })).id;
  const cableId = (await write(page, "POST", `${base}/cables`, { code, fiberClass: o.fiber, construction: o.construction, strandCount: o.strands, lengthM: 100, slackAMm: 900, slackBMm: 900 })).id;
  await write(page, "POST", `${base}/ends`, {
    cableId, side: "A", fromStrand: 1, toStrand: o.strands, panelId, firstPort: 1, form: o.form, polish: o.polish, mode: o.mode, method: o.method,
    stubClass: o.stub === false ? null : o.fiber, procedureId: o.procedure ?? null,
  });
  const path = `/bench/${job.jobId}/${panelId}`;
  await page.goto(new URL(path, page.url()).href);
  return { path, jobId: job.jobId, panelId, ends: async () => (await api(page, `/api/places/${panelId}/bench`)).ends };
}

/** Opens a select by its label and takes the option; on a page with several of that label, within one part of it. */
export async function choose(page: Page, label: string, option: string, within: Page | Locator = page) {
  await within.getByLabel(label, { exact: true }).last().click();
  await take(page, option);
}

/** The same from a list that may be long: only what is near is drawn, so it is found by its name. */
export async function find(page: Page, label: string, option: string) {
  const box = page.getByLabel(label, { exact: true }).last();
  await box.click();
  await box.fill(option);
  await take(page, option);
}

async function take(page: Page, option: string) {
  const picked = page.locator(".ant-select-dropdown:visible .ant-select-item-option").filter({ has: page.getByText(option, { exact: true }) });
  // A list that opens beside another one that is still closing lies under it for a moment.
  await picked.click({ timeout: 8000 }).catch(() => picked.dispatchEvent("click"));
  // Drawn anew under the click, a list stays open and has nothing picked: then once more.
  await page.waitForTimeout(150);
  const shown = await picked.getAttribute("class", { timeout: 300 }).catch(() => "option-selected");
  if (!shown?.includes("option-selected")) await picked.click({ timeout: 2000 }).catch(() => {});
}

export const card = (page: Page) => page.getByRole("complementary", { name: "Bench" });

/** Says of everything in the pre-flight that it is so; ovens are switched on but not waited for. */
export async function makeReady(page: Page) {
  const list = card(page).locator(".preflight");
  await expect(list.getByRole("listitem").first()).toBeVisible();
  for (const box of await list.getByRole("checkbox").all()) if (!(await box.isChecked())) await box.check();
  for (const item of await list.getByRole("listitem").all()) {
    const number = item.getByRole("spinbutton");
    if (await number.count()) await number.fill("99.9");
    const lot = item.getByPlaceholder("Lot");
    if (await lot.count()) {
      await lot.fill("GR-7");
      await item.getByLabel(/^Use by/).fill("2031-05-01");
    }
    const say = item.getByRole("button", { name: /Say so|Switched on now|Begun now/ });
    if (await say.count()) await say.click();
  }
}

/** Begins a batch with the first strands of the panel that is open. */
export async function begin(page: Page, strands: number, tools: string[] = []) {
  const another = page.getByRole("button", { name: "New batch" });
  await expect(card(page)).toBeVisible();
  if (await another.count()) await another.click();
  await card(page).getByRole("button", { name: `First ${strands}`, exact: true }).click();
  for (const tool of tools) await choose(page, "Tools of yours that it is made with", tool);
  if (tools.length > 0) await page.keyboard.press("Escape");
  await makeReady(page);
  await card(page).getByRole("button", { name: /^Begin with/ }).click();
  await expect(card(page).getByText(`0 of ${strands} made`)).toBeVisible();
}

/** What the hand card is about, of which strand, and what its tap says besides. */
export const atHand = (page: Page) =>
  card(page).evaluate((c) => ["p.act", ".strandline", ".besides"].map((part) => c.querySelector(part)?.textContent ?? "").join(" "));

/** Answers or finishes whatever the hand card asks, always the first way it offers, until it asks `until`. */
export async function workOn(page: Page, until: string | RegExp, wanted: Record<string, string> = {}) {
  const done = (text: string) => (typeof until === "string" ? text.includes(until) : until.test(text));
  const seen = () => atHand(page);
  for (let n = 0; n < 400; n++) {
    const before = await seen();
    if (done(before)) return;
    if (before.startsWith("Hands free")) {
      await page.clock.fastForward(60_000);
      await page.clock.runFor(1500);
      continue;
    }
    // What ran out meanwhile, as a pot life, holds the act until it is seen to again.
    if (await card(page).locator(".blocked").count()) {
      await makeReady(page);
      await page.clock.runFor(1500).catch(() => {});
    }
    const timer = card(page).getByRole("button", { name: /^Start .*\(Space\)/ });
    if (await timer.count()) {
      const label = await card(page).locator(".clock").innerText();
      // A hold that begins with the answer before it shows its button for a moment, and takes it away under the hand.
      try {
        await timer.click({ timeout: 3000 });
      } catch (e) {
        if (await timer.count()) throw e;
        continue;
      }
      const seconds = label.split(":").reduce((sum, part) => sum * 60 + Number(part), 0);
      await page.clock.fastForward(seconds * 1000 + 1500);
      await page.clock.runFor(1500);
      continue; // an unattended timer has sent the hands to another strand, or set them free
    }
    const buttons = card(page).locator(".answers button:enabled");
    if (!(await buttons.count())) {
      if (await card(page).locator(".clock").count()) await page.clock.fastForward(30_000); // a hold that began with the answer before it
      await page.clock.runFor(200);
      continue;
    }
    await expect(card(page).locator(".act-drawing svg")).toBeVisible();
    const act = await card(page).locator("p.act").innerText();
    await (wanted[act] ? buttons.filter({ hasText: wanted[act] }) : buttons.first()).click();
    await expect.poll(seen, { intervals: [20, 50, 100] }).not.toBe(before);
  }
  throw new Error(`never came to ${until}`);
}

/** What reaches over the right edge: the page itself, the tab bar or main, or anything in them that no box of its own scrolls. */
export const sideways = (page: Page) =>
  page.evaluate(() => {
    const boxes = [document.documentElement, ...document.querySelectorAll("main, nav.rail, header.strip")].filter((e) => e.scrollWidth > e.clientWidth + 1);
    const loose = [...document.querySelectorAll("main *")].filter((e) => {
      const { width, right } = e.getBoundingClientRect();
      if (width === 0 || right <= innerWidth + 0.5) return false;
      for (let p = e.parentElement; p && p.tagName !== "MAIN"; p = p.parentElement) if (["auto", "scroll", "hidden"].includes(getComputedStyle(p).overflowX)) return false;
      return true;
    });
    return [...boxes, ...loose].slice(0, 3).map((e) => `${e.tagName} ${e.className} reaches ${Math.round(e.getBoundingClientRect().right)}, ${e.scrollWidth}`);
  });
