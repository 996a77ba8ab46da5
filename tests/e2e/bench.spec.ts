import { expect, type Page, test } from "@playwright/test";
import { api, atHand, begin, card, choose, plan, signIn, workOn } from "./crew";

const sm = { mode: "single-mode", fiber: "OS2" };
const mm = { mode: "multimode", fiber: "OM4" };

// Every shipped procedure, by its default schools and with its pictures on, from pre-flight to a run that is made (3 mm wedge: the twelve below). Ovens and holds are passed by moving the page's clock.
const families: (Parameters<typeof plan>[2] & { code: string })[] = [
  { code: "HE", form: "ST", polish: "PC", method: "heat-cured-epoxy", construction: "cordage-3.0", strands: 2, stub: false, ...mm },
  { code: "CC", form: "SC", polish: "UPC", method: "cold-cure", construction: "cordage-3.0", strands: 1, stub: false, ...sm },
  { code: "HM", form: "SC", polish: "PC", method: "hot-melt", construction: "tight-buffer-900", strands: 1, stub: false, ...mm },
  { code: "CL", form: "SC", polish: "UPC", method: "cam-locked", construction: "cordage-2.0", strands: 1, ...mm },
  { code: "WA", form: "SC", polish: "APC", method: "wedge-locked", construction: "tight-buffer-900", strands: 1, ...sm },
  { code: "WS", form: "SC", polish: "PC", method: "wedge-locked", construction: "tight-buffer-900", strands: 1, procedure: "wedge-locked-slide-900", ...mm },
  { code: "PL", form: "LC", polish: "UPC", method: "plunger-locked", construction: "tight-buffer-900", strands: 1, ...sm },
  { code: "HD", form: "hardened-drop", polish: "APC", method: "hardened-drop", construction: "drop", strands: 1, ...sm },
  { code: "SO", form: "LC", polish: "UPC", method: "splice-on", construction: "cordage-3.0", strands: 1, ...sm },
  { code: "PS", form: "LC", polish: "UPC", method: "pigtail-splice", construction: "coated-250", strands: 1, ...sm },
  { code: "CS", form: "ST", polish: "UPC", method: "cold-cure", construction: "tight-buffer-900", strands: 1, stub: false, ...sm },
  { code: "C9", form: "LC", polish: "UPC", method: "cold-cure", construction: "fan-out-900", strands: 1, stub: false, ...mm },
  { code: "H9", form: "FC", polish: "PC", method: "heat-cured-epoxy", construction: "tight-buffer-900", strands: 1, stub: false, ...sm },
  { code: "H3", form: "ST", polish: "PC", method: "hot-melt", construction: "cordage-3.0", strands: 1, stub: false, ...mm },
  { code: "H2", form: "LC", polish: "PC", method: "hot-melt", construction: "coated-250", strands: 1, stub: false, ...mm },
  { code: "CF", form: "LC", polish: "UPC", method: "cam-locked", construction: "fan-out-900", strands: 1, ...sm },
  { code: "CT", form: "ST", polish: "UPC", method: "cam-locked", construction: "tight-buffer-900", strands: 3, ...mm },
  { code: "WC", form: "SC", polish: "APC", method: "wedge-locked", construction: "cordage-3.0", strands: 1, ...sm },
  { code: "W9", form: "LC", polish: "UPC", method: "wedge-locked", construction: "tight-buffer-900", strands: 1, ...sm },
  { code: "W2", form: "SC", polish: "UPC", method: "wedge-locked", construction: "coated-250", strands: 1, ...sm },
  { code: "S9", form: "SC", polish: "UPC", method: "splice-on", construction: "tight-buffer-900", strands: 2, ...sm },
  { code: "SB", form: "SC", polish: "APC", method: "splice-on", construction: "cordage-3.0", strands: 1, procedure: "splice-on-screw-boot", ...sm },
  { code: "P9", form: "SC", polish: "UPC", method: "pigtail-splice", construction: "tight-buffer-900", strands: 1, ...sm },
  { code: "PR", form: "MPO", polish: "PC", method: "pigtail-splice", construction: "ribbon-12", strands: 12, ...mm },
];

// Each plans its own job: they need no order.
test.describe.configure({ mode: "parallel" });

for (const f of families) {
  test(`${f.form} by ${f.procedure ?? f.method} on ${f.construction}, from pre-flight to record`, async ({ page }) => {
    await page.clock.install();
    await signIn(page, "joss");
    const { ends } = await plan(page, f.code, f);
    await begin(page, f.strands);
    // What has to warm up only holds what rests on it; it is ready when the hands come to it.
    await page.clock.fastForward(11 * 60_000);
    await page.clock.runFor(1500);
    await workOn(page, new RegExp(`Prove ${f.strands} connector`));
    await expect(page.getByText("All sent")).toBeVisible();
    for (const end of await ends()) {
      const run = end.state.attempts[0];
      expect([run.position.outcome, run.deviations]).toEqual(["finished", []]);
      expect(run.shards).toBeGreaterThan(0);
    }
  });
}

/** Work by touch on a phone: each touch is a tap; the digits of a reading, and the key that ends it, are typed. */
for (const [code, method, o, judged] of [
  ["TC", "cold-cure", { form: "SC", polish: "UPC", construction: "cordage-3.0", stub: false, ...sm }, 8],
  ["TW", "wedge-locked", { form: "SC", polish: "UPC", construction: "cordage-3.0", ...mm }, 4],
] as const)
  test(`twelve connectors by ${method}: at most four taps to begin, and twenty beyond what is judged of each`, async ({ browser }) => {
    test.slow();
    const page = await (await browser.newContext({ viewport: { width: 390, height: 844 }, hasTouch: true })).newPage();
    await page.clock.install();
    await signIn(page, "joss");
    const { path, panelId } = await plan(page, code, { method, strands: 13, ...o });
    // Yesterday's batch: what was said for it and holds still need not be said again.
    await begin(page, 1);
    await workOn(page, "Prove 1 connector");
    await page.goto(path);
    await page.getByRole("button", { name: "New batch" }).click();
    const taps = { all: 0 };
    const tap = async (what: ReturnType<Page["locator"]>) => {
      taps.all++;
      await what.tap();
    };
    const button = (name: string | RegExp) => card(page).getByRole("button", { name, exact: true });
    const asked = { ledger: 0, panel: 0 };
    page.on("request", (r) => {
      if (r.method() === "POST" && r.url().endsWith("/api/ledger")) asked.ledger++;
      if (r.method() === "GET" && r.url().endsWith(`/api/places/${panelId}/bench`)) asked.panel++;
    });
    await tap(button("First 12"));
    await tap(button(/^All \d above are so/));
    await tap(button("Begin with 12 strands"));
    await expect(card(page).getByText("0 of 12 made")).toBeVisible();
    const toBegin = taps.all;
    let judgements = 0;
    const hidden: string[] = [];
    for (let n = 0; n < 400; n++) {
      const before = await atHand(page);
      if (before.startsWith("Prove 12")) break;
      const all = card(page).getByRole("button", { name: /Done for all/ });
      const once = card(page).getByText("The same for all 12: asked once.");
      const good = card(page).locator(".answers .tone-good").first();
      await expect(all.or(good).or(card(page).locator(".clock")).first()).toBeVisible();
      if (await card(page).locator(".blocked").count()) throw new Error(`not ready: ${before}`);
      if (await all.count()) await tap(all);
      else if (await good.count()) {
        // Where the thumb finds it without a scroll.
        const box = await good.boundingBox();
        const bar = await page.locator("nav.rail").boundingBox();
        if (!box || !bar || box.y < 0 || box.y + box.height > bar.y + 0.5) hidden.push(before);
        const shared = await once.count();
        await tap(good);
        if (!shared) {
          judgements++;
          taps.all--;
        }
      } else {
        await page.clock.fastForward(31_000);
        await page.clock.runFor(1_000);
        continue;
      }
      await expect.poll(() => atHand(page), { intervals: [20, 50, 100] }).not.toBe(before);
    }
    expect(hidden).toEqual([]);
    expect(judgements).toBe(judged * 12);
    // The answer of a write is the truth: the panel is asked for again only where an end came further, not after each tap.
    console.log(`${asked.panel} times the panel was asked for, in ${asked.ledger} writes`);
    expect(asked.panel).toBeLessThanOrEqual(Math.max(2 * 12 + 1, asked.ledger / 2)); // a shard is made, the run is finished; hands that a busy machine lets rest ask more often
    expect(asked.ledger).toBeGreaterThan(40);
    await tap(card(page).getByText("dB", { exact: true }));
    await tap(button("Zeroed now"));
    await tap(card(page).getByText("The connector of this job, finished")); // the far ends' own records do not say so yet
    const bands = o.mode === "multimode" ? [850, 1300] : [1310, 1550];
    await tap(card(page).getByLabel(`Reading in dB, strand 2, ${bands[0]} nm`, { exact: true }));
    for (const loss of ["0.55", "0.41"]) for (let strand = 2; strand <= 13; strand++) await page.keyboard.type(loss); // the field below comes by itself
    await expect(card(page).getByText(/^0\.55 dB, \d\.\d\d in hand$/)).toHaveCount(12);
    await tap(button("Record 24 readings"));
    for (let strand = 2; strand <= 13; strand++) {
      await button(`Face clean: strand ${strand}`).tap(); // each is judged for itself
      judgements++;
    }
    await tap(card(page).getByLabel("Shards in the container"));
    await page.keyboard.type("12");
    await tap(button("Count entered"));
    await tap(button("Accept the 12 that passed"));
    await expect.poll(async () => (await api(page, `/api/ends?placeId=${panelId}&status=accepted`)).length).toBe(12);
    console.log(`${method}: ${toBegin} taps to begin, ${taps.all} in all beyond ${judgements} judgements and the digits of 24 readings`);
    expect(toBegin).toBeLessThanOrEqual(4);
    expect(taps.all).toBeLessThanOrEqual(20);
    const ends = (await api(page, `/api/places/${panelId}/bench`)).ends.filter((e: { state: { status: string } }) => e.state.status === "accepted");
    for (const end of ends) expect(end.state.attempts[0].deviations).toEqual([]);
    // The container was counted once, for the batch, and not on every end; what the server worked out is what the device said.
    const batch = await api(page, `/api/batches/${ends[0].state.attempts[0].batchId}`);
    expect(batch).toMatchObject({ off: 0, counts: [{ made: 12, counted: 12, saidMade: 12 }] });
    await page.goto(`/handover/${ends[0].endId}`);
    await expect(page.getByText(/Schools followed:/)).toBeVisible();
  });

test("a splice-on batch wears its cleaver and its splicer, whose counter is right and whose table is read", async ({ page }) => {
  await page.clock.install();
  await signIn(page, "joss");
  await page.getByRole("link", { name: "Kit" }).click();
  for (const [kind, name] of [["Splicer", "Fusion one"], ["Cleaver", "Blade one"]] as const) {
    const form = page.locator("form#tool");
    await choose(page, "Kind", kind, form);
    await expect(form.locator(".ant-select").first()).toContainText(kind);
    await form.getByLabel("Name").fill(name);
    await form.locator("button[type=submit]").click();
    await expect(page.getByText(name)).toBeVisible();
  }
  const splicer = page.getByRole("list", { name: "What is left of Fusion one" });
  await expect(splicer.getByText("0 of some 200 arcs on this charge · 200 left")).toBeVisible();
  await splicer.getByRole("button", { name: "Its counter shows otherwise" }).first().click();
  await splicer.getByLabel("What its counter shows: Fusion one").fill("199");
  await splicer.getByRole("button", { name: "Set" }).click();
  await expect(splicer.getByText(/199 of some 200 arcs on this charge · 1 left.*charge it/)).toBeVisible();

  const { ends } = await plan(page, "WEAR", { form: "LC", polish: "UPC", mode: "single-mode", method: "splice-on", fiber: "OS2", construction: "cordage-3.0", strands: 2 });
  await begin(page, 2, ["Fusion one", "Blade one"]);
  await page.clock.fastForward(11 * 60_000);
  await page.clock.runFor(1500);
  await workOn(page, /Prove 2 connector/);
  await expect.poll(async () => (await api(page, "/api/tools")).flatMap((x: { name: string; wear: { kind: string; done: number }[] }) => x.wear.map((w) => `${x.name} ${w.kind} ${w.done}`)))
    .toEqual(expect.arrayContaining(["Fusion one arcs-of-charge 201", "Fusion one arcs-of-electrodes 2", "Blade one cleaves-of-position 2"]));

  const table = card(page).getByRole("region", { name: "The splicer's table" });
  await table.locator("input[type=file]").setInputFiles({ name: "splices.csv", mimeType: "text/csv", buffer: Buffer.from("Strand;Loss dB;Angle left;Angle right\n1;0.31;2.4;0.3\n1;0.03;0.4;0.3\n2;0,05;0.6;1.0\n7;0.01;0;0\n") });
  await expect(table.getByText("that row counts")).toBeVisible();
  await expect(table.getByText("nothing is planned at '7'")).toBeVisible();
  await table.getByRole("button", { name: "Record 2 splices" }).click();
  type Spliced = { state: { attempts: { splices: { lossDb: number; leftAngleDeg: number }[] }[] } };
  const read = async () => (await ends()).map((e: Spliced) => e.state.attempts[0]?.splices.map((s) => [s.lossDb, s.leftAngleDeg]));
  await expect.poll(read).toEqual([[[0.03, 0.4]], [[0.05, 0.6]]]);
});

test("another installer takes the batch over on another device, and the lead sees it live", async ({ browser }) => {
  const at = async (login: string) => {
    const page = await (await browser.newContext()).newPage();
    await signIn(page, login);
    return page;
  };
  const joss = await at("joss");
  const { jobId, panelId } = await plan(joss, "TO", { ...mm, form: "SC", polish: "UPC", method: "wedge-locked", construction: "cordage-3.0", strands: 2 });
  await begin(joss, 2);
  await workOn(joss, /Bend the glass.*Strand 1/);
  await joss.keyboard.press("1");
  const lead = await at("mira");
  await lead.goto(`/jobs/${jobId}`);
  const tamsin = await at("tamsin");
  await tamsin.goto(`/bench/${jobId}/${panelId}`);
  await expect(card(tamsin).getByText("Wipe the bare glass with alcohol")).toBeVisible();
  await tamsin.keyboard.press("1"); // the wipe, the cleave and its look in one
  await expect.poll(() => atHand(tamsin)).toContain("Body into the assembly tool");
  await expect.poll(() => atHand(joss)).toContain("Body into the assembly tool"); // over the wire, without a reload
  await tamsin.keyboard.press("2"); // loaded, lit, inserted; still bright
  await expect(lead.getByRole("img", { name: /TO-P/ }).or(lead.getByLabel(/TO-P/)).first()).toBeVisible();
  const runs = async () => (await api(lead, `/api/places/${panelId}/bench`)).ends.map((e: { state: { attempts: { loops: object[]; strays: object[] }[] } }) => e.state.attempts[0]);
  await expect.poll(async () => (await runs()).flatMap((r: { loops: object[] }) => r.loops)).toHaveLength(1);
  expect((await runs()).flatMap((r: { strays: object[] }) => r.strays)).toEqual([]);
});
