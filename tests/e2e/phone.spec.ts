import { expect, type Page, test } from "@playwright/test";
import { api, begin, card, plan, signIn, workOn } from "./crew";

test.use({ viewport: { width: 390, height: 844 }, hasTouch: true });

/** What reaches over the right edge: the page itself, the tab bar or main, or anything in them that no box of its own scrolls. */
const sideways = (page: Page) =>
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

async function sweep(page: Page, paths: string[]) {
  const wide: string[] = [];
  for (const path of paths) {
    await page.goto(path);
    await page.waitForLoadState("networkidle");
    await expect(page.locator("main h1, main .act, main .card").first()).toBeAttached();
    for (const what of await sideways(page)) wide.push(`${path}: ${what}`);
  }
  return wide;
}

test("no screen scrolls sideways on a phone, as any role", async ({ page }) => {
  await page.goto("/");
  const wide = (await sideways(page)).map((w) => `sign-in: ${w}`);
  await signIn(page, "joss");
  const [job] = await api(page, "/api/jobs/at-hand");
  const pick = async (status: string) => (await api(page, `/api/ends?jobId=${job.jobId}&status=${status}&limit=1`))[0].endId;
  const bench = await api(page, `/api/ends/${await pick("at-bench")}`);
  const traced = (await api(page, `/api/ends?jobId=${job.jobId}&status=needs-decision`))[0].endId;
  wide.push(
    ...(await sweep(page, [
      "/", "/jobs", `/jobs/${job.jobId}`, "/plan", `/plan/${job.jobId}`, `/prep/${bench.endId}`, "/bench", `/bench/${bench.jobId}/${bench.placeId}/${bench.endId}`,
      ...["eye", "picture", "cleave", "light"].map((how) => `/look/${bench.endId}?how=${how}`), `/look/${await pick("to-look")}?how=eye`, `/look/${await pick("needs-decision")}`,
      `/measure/${await pick("to-measure")}`, `/measure/${await pick("to-accept")}?how=panel`, `/measure/${traced}?how=trace`, "/rework", "/methods", "/methods/limits", "/methods/cold-cure-3mm/1",
      "/methods/compare?fromId=cold-cure-3mm&fromVersion=1&toId=cold-cure-900-st&toVersion=1", "/handover", `/handover/${await pick("accepted")}`, `/handover/${traced}`,
    ])),
  );
  for (const [login, paths] of [["mira", ["/", "/office/people", "/account", "/office/audit", "/office/scripts", "/office/server", "/methods/limits", "/jobs"]], ["warden", ["/", "/jobs", `/jobs/${job.jobId}`, "/handover"]], ["tamsin", ["/", "/bench"]]] as const) {
    await page.context().clearCookies();
    await signIn(page, login);
    wide.push(...(await sweep(page, [...paths])).map((w) => `${login} ${w}`));
  }
  expect(wide).toEqual([]);
});

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
