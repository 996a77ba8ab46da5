import AxeBuilder from "@axe-core/playwright";
import { expect, type Page, test } from "@playwright/test";
import { api, sideways, signIn } from "./crew";

/** Every screen, by who sees it. Where something is opened first, its button. */
async function screens(page: Page, login: string): Promise<[path: string, open?: string][]> {
  const [job] = await api(page, "/api/jobs/at-hand");
  const first = async (status: string) => (await api(page, `/api/ends?jobId=${job.jobId}&status=${status}&limit=1`))[0]?.endId;
  if (login === "warden") return [["/"], ["/jobs"], [`/jobs/${job.jobId}`], ["/handover"], [`/handover/${await first("accepted")}`], ["/about"]];
  if (login === "mira") return [["/"], ["/jobs"], ["/office/people"], ["/account"], ["/office/audit"], ["/office/scripts"], ["/office/server"], ["/methods/limits", "House limits from these"], ["/kit?part=prices"], ["/yield"], ["/check"], ["/see#nothing"], [`/jobs/${job.jobId}/day`], ["/hours"], ["/week"]];
  const bench = await api(page, `/api/ends/${await first("at-bench")}`);
  if (login === "tamsin") return [["/"], ["/bench"], [`/bench/${bench.jobId}/${bench.placeId}/${bench.endId}`], ["/look"], ["/measure"], ["/kit"], ["/kit?part=load"], ["/yield?by=person"], ["/hours"], [`/measure/folder/${job.jobId}`]];
  const decide = await first("needs-decision");
  return [
    ["/"], ["/jobs"], [`/jobs/${job.jobId}`], ["/plan"], [`/plan/${job.jobId}`], [`/prep/${bench.endId}`], [`/bench/${bench.jobId}/${bench.placeId}/${bench.endId}`],
    ...["eye", "picture", "cleave", "light"].map((how): [string] => [`/look/${bench.endId}?how=${how}`]), [`/look/${await first("to-look")}?how=eye`], [`/look/${decide}`],
    [`/measure/${await first("to-measure")}`], [`/measure/${await first("to-accept")}?how=panel`], [`/measure/${decide}?how=trace`], ["/rework"], ["/yield?by=lot"], ["/kit"], ["/kit?part=recall&lot=WL-4410"], ["/methods"], ["/methods/cold-cure-3mm/1"],
    ["/methods/compare?fromId=cold-cure-3mm&fromVersion=1&toId=cold-cure-900-st&toVersion=1"], ["/handover"], [`/handover/${await first("accepted")}`], [`/handover/${decide}`], [`/handover/job/${job.jobId}`], [`/handover/job/${job.jobId}/labels`],
  ];
}

/** Answers of a check that a thumb cannot reach because something lies over them. */
const covered = (page: Page) =>
  page.evaluate(() =>
    [...document.querySelectorAll(".hand .answers button")].flatMap((b) => {
      b.scrollIntoView({ block: "nearest" });
      const r = b.getBoundingClientRect();
      return [r.top + 3, r.bottom - 3].every((y) => b.contains(document.elementFromPoint(r.left + r.width / 2, y))) ? [] : [b.textContent];
    }),
  );

// The longest of all: its three sizes are shared among the desks.
test.describe.configure({ mode: "parallel" });

// A phone upright, a phone on its side, which is also 1280×800 at 200 % zoom, and a desk in the dark.
for (const [width, height, look] of [[390, 844, "light"], [640, 400, "light"], [1280, 800, "dark"]] as const)
  test(`every screen as every role at ${width}×${height}, ${look}: nothing runs off the side, lies under a bar or fails axe`, async ({ browser }) => {
    test.slow();
    const wrong: string[] = [];
    for (const login of ["joss", "mira", "tamsin", "warden"]) {
      const context = await browser.newContext({ viewport: { width, height }, hasTouch: width < 1280 });
      const page = await context.newPage();
      page.on("console", (m) => {
        if (m.text().includes("Content Security Policy")) wrong.push(`${login} ${new URL(page.url()).pathname}: ${m.text().slice(0, 160)}`);
      });
      await page.addInitScript((l) => localStorage.setItem("rhabdon.look", l), look);
      const scan = async (path: string) => {
        await page.waitForLoadState("networkidle");
        await expect(page.locator("main h1, main .act, main .card, form").first()).toBeAttached();
        for (const what of await sideways(page)) wrong.push(`${login} ${path}: ${what}`);
        for (const what of await covered(page)) wrong.push(`${login} ${path}: "${what}" is covered`);
        // Turned over or enlarged, the same page has the same parts: axe would only say it again, and takes most of the time.
        if (height < 500) return;
        // In the dark only the colours are others.
        const axe = new AxeBuilder({ page }).options({ resultTypes: ["violations"], preload: false }).setLegacyMode();
        const found = await (look === "dark" ? axe.withRules(["color-contrast", "link-in-text-block"]) : axe.withTags(["wcag2a", "wcag2aa", "wcag21aa", "wcag22aa"])).analyze();
        for (const v of found.violations.filter((x) => x.impact === "serious" || x.impact === "critical")) wrong.push(`${login} ${path}: ${v.id} ${v.nodes[0]?.html.slice(0, 160)}`);
      };
      await page.goto("/");
      if (login === "joss") await scan("sign-in");
      await signIn(page, login);
      for (const [path, open] of await screens(page, login)) {
        await page.goto(path);
        if (open) await page.getByRole("button", { name: open }).click();
        await scan(path);
      }
      await context.close();
    }
    expect(wrong).toEqual([]);
  });
