import { expect, test } from "vitest";
import { mayShip, textOf } from "./licences.mjs";

test("a part is shipped where one way to have it allows that, and never by a licence that is not known", () => {
  for (const yes of ["MIT", "Apache-2.0", "MS-PL OR Apache-2.0", "(GPL-3.0-only OR MIT)", "BSD-2-Clause AND OFL-1.1"])
    expect(mayShip(yes), yes).toBe(true);
  for (const no of [
    "GPL-3.0-only",
    "AGPL-3.0-or-later",
    "MIT AND GPL-2.0-only",
    "CC-BY-NC-4.0",
    "SSPL-1.0",
    "LicenseRef-ours",
    "UNLICENSED",
    "SEE LICENSE IN x",
    "",
    undefined,
  ])
    expect(mayShip(no), String(no)).toBe(false);
  expect(textOf("MS-PL OR Apache-2.0")).toContain("Apache License");
  expect(textOf("LicenseRef-ours")).toBeUndefined();
});
