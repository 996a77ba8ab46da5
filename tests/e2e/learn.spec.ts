import { expect, test } from "@playwright/test";
import { api, choose, signIn, write } from "./crew";

test("the office reads yield by two keys, opens a week and a group, holds two against each other, and sees losses and wear", async ({ page }) => {
  await signIn(page, "mira");
  await expect.poll(async () => (await api(page, "/api/yield?by=crew")).groups.length, { timeout: 60_000 }).toBeGreaterThan(1);
  await page.goto("/yield?by=crew&and=method");
  const { groups, crossed } = await api(page, "/api/yield?by=crew&and=method");
  const main = page.getByRole("main");
  await expect(main.getByText(/^In the end|In the end \d/).first()).toBeVisible();
  // A cell opens the ends behind it, as many as it says.
  const cell = crossed.cells.toSorted((a: { made: number }, b: { made: number }) => b.made - a.made)[0];
  await main.getByRole("button", { name: `of ${cell.made}` }).first().click();
  const behind = main.getByRole("region", { name: /^Behind / });
  await expect(behind.locator("tbody tr")).toHaveCount(cell.made);
  // A point of a chart opens its group, and there another is held against it.
  await main.getByRole("button", { name: new RegExp(`^${groups[0].name}: `) }).first().click();
  await expect(page.getByRole("heading", { name: `Behind ${groups[0].name}` })).toBeVisible();
  await choose(page, "Against …", groups[1].name);
  const pair = await api(page, `/api/yield/compare?by=crew&key=${groups[0].key}&other=${groups[1].key}`);
  await expect(behind.getByText(pair.enough ? / is (better|worse) than / : /^.*Not enough yet/).first()).toBeVisible();
  await expect(page).toHaveURL(/key=/);

  await main.getByText("Losses", { exact: true }).click();
  await expect(main.getByText(/of \d+ readings lie over their limit/)).toBeVisible();
  await expect(main.getByRole("img", { name: /^How the losses of / }).first()).toBeVisible();
  await main.getByText("Wear", { exact: true }).click();
  await expect(page).toHaveURL(/view=wear/);
  await expect(main.getByLabel("Tool", { exact: true })).toBeVisible();
});

test("a lead sees what has to be worked again by visit, gives it away, and what the last minutes are best spent on", async ({ page }) => {
  await signIn(page, "joss");
  await page.goto("/rework");
  const queue = await api(page, "/api/rework");
  const visits = page.locator("section.card", { has: page.getByRole("heading", { name: "By visit: one room, one set of tools" }) });
  const first = queue.visits[0].ends[0];
  const row = visits.getByRole("listitem").filter({ has: page.getByRole("link", { name: first.address }) }).last();
  await expect(row).toContainText(`${Math.round(first.minutes)} min`);
  // What is advised there is what the end itself is advised.
  const advised = queue.visits.flatMap((v: { ends: { next: { act: string } | null; endId: string }[] }) => v.ends).find((e: { next: unknown }) => e.next);
  expect((await api(page, `/api/ends/${advised.endId}`)).advice.next.act).toBe(advised.next.act);
  await visits.getByLabel(/^Give the visit to somebody/).first().click();
  await page.locator(".ant-select-item-option:visible").getByText("Tamsin Vey").click();
  await expect.poll(async () => (await api(page, "/api/rework")).visits[0].ends.every((e: { personName: string }) => e.personName === "Tamsin Vey")).toBe(true);

  // As it was, for the other tests: the whole crew's.
  const [given] = (await api(page, "/api/rework")).visits;
  await write(page, "POST", `/api/jobs/${given.jobId}/assignments`, { crewId: given.crewId, endIds: given.ends.map((e: { endId: string }) => e.endId) });

  const last = page.locator("section.card", { has: page.getByRole("heading", { name: "The last minutes" }) });
  await last.getByLabel("Job that is about to be handed over").click();
  await page.locator(".ant-select-item-option:visible").first().click();
  await last.getByLabel("minutes left").fill("12");
  await expect(last.getByText(/weak ends fits? into 12 minutes/)).toBeVisible();
  await expect(last.getByText(/called back with \d+ %/).first()).toBeVisible();

  // One field finds what has a name.
  await page.goto("/kit?part=recall");
  await page.getByLabel("Lot, tool, label, job or person").fill("GR-118");
  await page.getByRole("listitem").filter({ hasText: "Lot" }).getByRole("button", { name: "GR-118" }).click();
  await expect(page.locator("p.said")).toContainText(/\d/);
  await page.getByLabel("Lot, tool, label, job or person").fill("LR-P1:1");
  await expect(page.getByRole("link", { name: "LR-P1:1", exact: true })).toBeVisible();
});

test("the office says how likely causes are, and what may ail a connector follows", async ({ page }) => {
  await signIn(page, "mira");
  await page.goto("/rework");
  await page.getByText("What is taken for likely: causes, their signs, and what cures them").click();
  const field = page.getByLabel("Contamination, Polished (%)");
  const before = await api(page, "/api/diagnosis/causes");
  await field.fill("60");
  await field.press("Tab");
  // What a sign says and what an act takes are theirs, too.
  await choose(page, "Sign", "the reflectance");
  await page.getByLabel("reflectance high: Contamination (%)").fill("90");
  await choose(page, "Act", "reseat it");
  await page.getByLabel("reseat it: Minutes").fill("7");
  await page.getByLabel("reseat it: Minutes").press("Tab");
  await page.getByRole("button", { name: "Save the tables" }).click();
  const of = (c: { causes: { cause: string; family: string; share: number }[] }) => c.causes.find((x) => x.cause === "contamination" && x.family === "polished")?.share ?? 0;
  await expect.poll(async () => of(await api(page, "/api/diagnosis/causes"))).toBeGreaterThan(of(before));
  const after = await api(page, "/api/diagnosis/causes");
  expect(after.acts.find((a: { act: string }) => a.act === "reseat").minutes).toBe(7);
  const dirt = after.signs.find((s: { sign: string }) => s.sign === "reflectance").rows.find((r: { cause: string }) => r.cause === "contamination");
  // 45 and 90 of 135.
  expect(dirt.said.map((p: number) => Math.round(p * 1000) / 1000)).toEqual([0.333, 0.667]);
});
