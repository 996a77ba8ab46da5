// Which licences let a part be shipped with a program that is sold, and whose text is then shown beside it.
import { createRequire } from "node:module";

const require = createRequire(import.meta.url);
const satisfies = require("spdx-satisfies");
const texts = require("spdx-license-list/full");

/** Asking for no more than that their words go along. */
export const shippable = [
  "MIT",
  "MIT-0",
  "Apache-2.0",
  "BSD-2-Clause",
  "BSD-3-Clause",
  "ISC",
  "0BSD",
  "Zlib",
  "Unlicense",
  "CC0-1.0",
  "BlueOak-1.0.0",
  "PostgreSQL",
  "OFL-1.1",
  "MS-PL",
  "libtiff",
  "libpng-2.0",
  "IJG",
  "FTL",
];

/** True where one of the ways in which the licence may be had lets the part be shipped. */
export function mayShip(expression) {
  try {
    return Boolean(expression) && satisfies(expression, shippable);
  } catch {
    return false;
  }
}

/** The licence's own words, where a part brings none: of all that hold together, or of one among which to choose. */
export function textOf(expression) {
  const named = expression.match(/[\w.+-]+/g) ?? [];
  const ours = shippable.filter((n) => named.includes(n) && texts[n]);
  const held = / AND /.test(expression) ? ours : ours.slice(0, 1);
  return held.length > 0 ? held.map((n) => texts[n].licenseText).join("\n\n") : texts[expression]?.licenseText;
}
