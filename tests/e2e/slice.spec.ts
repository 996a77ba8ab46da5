import { expect, test } from "@playwright/test";
import { api, card, choose, makeReady, signIn, workOn } from "./crew";

test("from a cable on a plan to one proven connector, with a failed check and a second attempt", async ({ browser }) => {
  // 1. The lead plans: job, spaces, panels, cable, connectors.
  const lead = await (await browser.newContext()).newPage();
  await signIn(lead, "joss");
  await lead.goto("/plan");
  await lead.getByLabel("Customer").fill("Gullrock Observatory");
  await lead.getByLabel("Site", { exact: true }).fill("Fog signal house");
  await lead.getByRole("button", { name: "Save job" }).click();
  await expect(lead).toHaveURL(/\/plan\/[0-9a-f-]{36}/);
  const section = (title: string) => lead.locator("section.card", { has: lead.getByRole("heading", { name: title, exact: true }) });
  const spaces = section("Spaces");
  await spaces.getByLabel("Code").fill("FS");
  await spaces.getByLabel("Name").fill("Fog signal house");
  await spaces.getByRole("button", { name: "Add space" }).click();
  await expect(spaces.getByText("FS · Fog signal house")).toBeVisible();
  const panels = section("Panels");
  await panels.getByLabel("Space").click();
  await lead.locator(".ant-select-dropdown:visible .ant-select-item-option-content").getByText("FS", { exact: true }).click();
  for (const code of ["P1", "P2"]) {
    await panels.getByLabel("Code").fill(code);
    if (code === "P2") {
      await panels.getByLabel("Space").click();
      await lead.locator(".ant-select-dropdown:visible .ant-select-item-option-content").getByText("FS", { exact: true }).click();
    }
    await panels.getByRole("button", { name: "Add panel" }).click();
    await expect(panels.getByText(`FS-${code} · 24 ports`)).toBeVisible();
  }
  const cables = section("Cables");
  await cables.getByLabel("Code").fill("HORN-4");
  await cables.getByLabel("Strands").fill("4");
  await cables.getByLabel("Length (m)").fill("300");
  await cables.getByLabel("Slack, side A (mm)").fill("250");
  await cables.getByLabel("Slack, side B (mm)").fill("250");
  await cables.getByRole("button", { name: "Add cable" }).click();
  await expect(cables.getByText("HORN-4 · OM3")).toBeVisible();

  // A connector that does not fit is refused in words.
  const ends = section("Connectors").first();
  await choose(lead, "Cable", "HORN-4");
  await choose(lead, "Panel", "FS-P1");
  await choose(lead, "Procedure", "Wedge-locked on 2 or 3 mm cordage");
  await choose(lead, "Polish", "APC");
  await ends.getByRole("button", { name: "Plan these connectors" }).click();
  await expect(ends.getByText("APC is a single-mode polish").first()).toBeVisible();
  await choose(lead, "Polish", "UPC");
  await choose(lead, "Stub class", "OM1");
  await ends.getByRole("button", { name: "Plan these connectors" }).click();
  await expect(ends.getByText("it can be put together perfectly and still never pass").first()).toBeVisible();
  await choose(lead, "Stub class", "OM3");
  await ends.getByRole("button", { name: "Plan these connectors" }).click();
  await expect(lead.getByText("4 connectors planned, with wedge-locked-upc-3mm.")).toBeVisible();

  // 3. The prep card: check values of the trade.
  const jobId = new URL(lead.url()).pathname.split("/")[2];
  const planned = await api(lead, `/api/ends?jobId=${jobId}`);
  const endId = planned[0].endId as string;
  await lead.goto(`/prep/${endId}`);
  await expect(lead.getByText("29.5 mm (29–30 mm)")).toBeVisible();
  await expect(lead.getByText("8 of 5 mm, or 7 of 1/4 in")).toBeVisible();
  await lead.getByText("in", { exact: true }).click();
  await expect(lead.getByRole("img", { name: "Prep card" }).getByText("2.756 in · Jacket edge")).toBeVisible(); // 70 mm ÷ 25.4
  await lead.getByText("mm", { exact: true }).click();

  // 4. The installer works it: glow bright, ladder, given up, second attempt.
  const tamsin = await (await browser.newContext()).newPage();
  await signIn(tamsin, "tamsin");
  await tamsin.goto(`/bench/${jobId}`);
  await tamsin.getByRole("option", { name: /Strand 1, blue/ }).click();
  await makeReady(tamsin);
  await card(tamsin).getByRole("button", { name: "Begin with 1 strand" }).click();
  await expect(card(tamsin).locator("p.act")).toHaveText("Compare the bag with the cable");
  await workOn(tamsin, "Body into the assembly tool");
  await tamsin.keyboard.press("2"); // loaded, lit, inserted; still bright
  await expect(card(tamsin).getByText("Back to try again")).toBeVisible();
  await expect(card(tamsin).getByText("29.5 mm of slack")).toBeVisible();
  await card(tamsin).getByRole("button", { name: "Undo: 1 Still bright" }).click(); // a slip: take it back, then say it again
  await expect(card(tamsin).locator("p.act")).toHaveText("Look at window 1");
  await tamsin.keyboard.press("2");
  await expect(card(tamsin).locator("p.act")).toHaveText("Mark the jacket with a line, notch it and slide it off");
  await workOn(tamsin, "Body into the assembly tool");
  await tamsin.keyboard.press("2");
  await expect(card(tamsin).getByText("This connector is given up")).toBeVisible();
  await card(tamsin).getByRole("button", { name: "Start attempt 2" }).click();
  await workOn(tamsin, "Mark the buffer and strip");
  await tamsin.keyboard.press(" ");
  await tamsin.keyboard.press(" ");
  await tamsin.reload(); // the count survives
  await expect(card(tamsin).getByText("bites · 2 of 1–12")).toBeVisible();
  await workOn(tamsin, "Prove 1 connector");

  // 5. Look: dirt first, cleaned, then clear. Measure: bad reference, then a pass; accept.
  await card(tamsin).getByRole("link", { name: "Findings" }).click();
  await tamsin.getByText("End face, by eye", { exact: true }).click();
  await tamsin.getByRole("button", { name: "Add finding" }).click();
  await tamsin.getByLabel("Size (µm)").fill("20");
  await tamsin.getByRole("button", { name: "Add finding" }).click();
  await expect(tamsin.getByText("Dirt is the first suspect").first()).toBeVisible();
  await tamsin.getByRole("button", { name: "Record this look" }).click();
  await choose(tamsin, "Reason", "Contamination");
  await tamsin.getByRole("button", { name: "Cleaned; look again" }).click();
  await expect(tamsin.getByText("To look at").first()).toBeVisible();
  await expect(tamsin.getByText("No findings")).toBeVisible();
  await tamsin.getByRole("button", { name: "Record this look" }).click();
  await expect(tamsin.getByText("To measure").first()).toBeVisible();
  await tamsin.goto(`/measure/${endId}`);
  const band = (nm: number) => tamsin.locator("section.card", { has: tamsin.getByRole("heading", { name: `${nm} nm` }) });
  const enter = async (nm: number, reference: string, reading: string) => {
    await band(nm).getByLabel("Reference (dBm)").fill(reference);
    await band(nm).getByLabel("Reading (dBm)").fill(reading);
  };
  await enter(850, "-20.00", "-19.60");
  await expect(band(850).getByText("Better than physics allows")).toBeVisible();
  await enter(850, "-20.00", "-20.90");
  await expect(band(850).getByText("2.40 dB")).toBeVisible(); // 0.3 km × 3.0 + 2 × 0.75
  await expect(band(850).getByText("Pass")).toBeVisible();
  await enter(1300, "-20.00", "-21.93");
  await expect(band(1300).getByText("Marginal")).toBeVisible(); // limit 1.95, repeatability 0.05
  await tamsin.getByRole("button", { name: "Record readings" }).click();
  await expect(tamsin.getByText("Recorded for this end.")).toBeVisible();
  // The far end is not made: a pass into nothing is no pass, until somebody says what it was read into.
  await expect(tamsin.getByText("To measure: far end unknown")).toBeVisible();
  await tamsin.getByText("The connector of this job, finished").click();
  await tamsin.getByRole("button", { name: "Say so" }).click();
  await expect(tamsin.getByText("To accept").first()).toBeVisible();
  await expect(tamsin.getByRole("button", { name: "Accept this end" })).toBeDisabled();
  await tamsin.getByRole("link", { name: "Count the shards first." }).click();
  // How many there should be is not said before the count: three, two cleaves of the first attempt, one of the second.
  await expect(card(tamsin).getByText("How many there should be is said after the count.")).toBeVisible();
  await card(tamsin).getByLabel("Shards in the container").fill("3");
  await card(tamsin).getByLabel("Mat and floor checked by lamp").check();
  await card(tamsin).getByRole("button", { name: "Count entered" }).click();
  await card(tamsin).getByRole("button", { name: "Accept the 1 that passed" }).click();
  await expect(tamsin.getByText("All sent")).toBeVisible();

  // 6. The record proves it, and the filters find it.
  await lead.goto(`/handover?jobId=${jobId}&verdict=marginal`);
  await lead.getByRole("link", { name: "FS-P1:1" }).click();
  await expect(lead.getByRole("heading", { name: "Attempt 1" })).toBeVisible();
  await expect(lead.getByRole("heading", { name: "Attempt 2" })).toBeVisible();
  await expect(lead.getByText("Not seated, gap").first()).toBeVisible();
  await expect(lead.getByText("191 mm, enough for 2 more cut-offs")).toBeVisible(); // 250 − 2 × 29.5
  await expect(lead.getByText("ANSI/TIA-568.3-D (quoted from memory)").first()).toBeVisible();
  await expect(lead.getByText("Measured into: The connector of this job, finished").first()).toBeVisible();
  await lead.getByText(/^Time line/).first().click();
  await expect(lead.getByText(/Tamsin Vey/).first()).toBeVisible();
  const record = await api(lead, `/api/ends/${endId}/record`);
  expect(record.end.state.status).toBe("accepted");
  expect(record.entries.filter((e: { struck: boolean }) => e.struck)).toHaveLength(1);
});

test("a timer survives a reload, and entries wait while there is no signal", async ({ page, context }) => {
  await page.clock.install();
  await signIn(page, "joss");
  const planned = (await api(page, "/api/ends?status=planned&method=cold-cure&limit=1"))[0];
  const end = await api(page, `/api/ends/${planned.endId}`);
  await page.goto(`/bench/${end.jobId}/${end.placeId}/${end.endId}`);
  await makeReady(page);
  await card(page).getByRole("button", { name: "Begin with 1 strand" }).click();
  await workOn(page, "Hold it still");
  await expect(card(page).getByRole("button", { name: "Done" })).toBeDisabled(); // it began when the connector was said to be home
  await page.clock.runFor(3000);
  await page.reload();
  await expect(card(page).getByRole("timer")).toHaveText(/0:2\d/);
  await expect(page.getByText("All sent")).toBeVisible(); // what the reload cut off is sent again first
  await context.setOffline(true);
  await page.clock.runFor(31_000);
  await expect(card(page).locator("p.act")).toHaveText("Pull lightly");
  await expect(card(page).getByRole("region", { name: "Your tap also says that this is done:" })).toContainText("Hold it still");
  await card(page).getByRole("button", { name: /^1/ }).click();
  await expect(page.getByText("2 unsent")).toBeVisible();
  await context.setOffline(false);
  await page.clock.runFor(6_000);
  await expect(page.getByText("All sent")).toBeVisible();
  const record = await api(page, `/api/ends/${end.endId}/record`);
  expect(record.entries.at(-2).body.stepId).toBe("hold");
  expect(record.entries.at(-2).body.elapsedS).toBeGreaterThanOrEqual(30);
});
