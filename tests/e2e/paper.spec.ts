import { expect, test } from "@playwright/test";
import { api, plan, signIn } from "./crew";

/** Pages of a PDF, and how wide its first one is in points. */
const pagesOf = (pdf: Buffer) => pdf.toString("latin1").match(/\/Type\s*\/Page\b(?!s)/g)?.length ?? 0;

// The longest card of each kind: most marks, most parts, most acts of stripping.
const cards = [
  { code: "PA", form: "LC", polish: "UPC", method: "wedge-locked", construction: "cordage-3.0", mode: "multimode", fiber: "OM4" },
  { code: "PB", form: "SC", polish: "UPC", method: "cold-cure", construction: "cordage-3.0", mode: "multimode", fiber: "OM4", stub: false },
  { code: "PC", form: "SC", polish: "UPC", method: "cam-locked", construction: "cordage-3.0", mode: "multimode", fiber: "OM4" },
  { code: "PD", form: "hardened-drop", polish: "APC", method: "hardened-drop", construction: "drop", mode: "single-mode", fiber: "OS2" },
  { code: "PE", form: "LC", polish: "UPC", method: "splice-on", construction: "cordage-3.0", mode: "single-mode", fiber: "OS2" },
];

test("a batch's prep card is one page on A4 and on Letter, black on white from the dark screen, with the template at its true size", async ({ page }) => {
  await signIn(page, "joss");
  for (const c of cards) {
    const { ends } = await plan(page, c.code, { ...c, strands: 12 });
    const [end] = await ends();
    await page.goto(`/prep/${end.endId}`);
    await expect(page.getByRole("heading", { name: "For 12 strands" })).toBeVisible();
    await page.emulateMedia({ media: "print", colorScheme: "dark" });
    const template = page.getByRole("img", { name: "Template" });
    const mm = await template.evaluate((svg: SVGSVGElement) => svg.getBoundingClientRect().width / svg.viewBox.baseVal.width / (96 / 25.4));
    expect(mm).toBeCloseTo(1, 2);
    const seat = end.prep.marks.find((m: { id: string }) => m.id.startsWith("seat"));
    if (c.form === "LC" && seat) await expect(template.getByText(seat.name)).toBeVisible();
    expect(await page.evaluate(() => getComputedStyle(document.querySelector(".prep-page .card") as Element).backgroundColor)).toBe("rgba(0, 0, 0, 0)");
    expect(await template.evaluate((svg) => getComputedStyle(svg.querySelector("text") as Element).fill)).toBe("rgb(0, 0, 0)");
    for (const format of ["A4", "Letter"]) expect(pagesOf(await page.pdf({ format })), `${c.code} on ${format}`).toBe(1);
    await page.emulateMedia({ media: null, colorScheme: null });
  }
  expect((await api(page, "/api/jobs/at-hand")).length).toBeGreaterThan(0);
});
