import * as zxing from "@zxing/library";
import { expect, test } from "vitest";
import { decode } from "./code";

// Code 128, set B, by hand: start 104, "L" 44, "7" 23, check (104 + 44 + 2 × 23) mod 103 = 91, stop. Widths by ISO/IEC 15417, from memory.
const BARS = ["211214", "132131", "312131", "412121", "2331112"];

test("a printed Code 128 is read, upright and in poor light", () => {
  const modules = BARS.flatMap((widths) => [...widths].flatMap((w, i) => Array(Number(w)).fill(i % 2 === 0)));
  const [quiet, wide, height] = [30, 3, 120];
  const width = modules.length * wide + 2 * quiet;
  const draw = (dark: number, light: number) => {
    const grey = new Uint8ClampedArray(width * height).fill(light);
    for (let y = 20; y < height - 20; y++)
      modules.forEach((black, i) => {
        if (black) grey.fill(dark, y * width + quiet + i * wide, y * width + quiet + (i + 1) * wide);
      });
    return grey;
  };
  expect(decode(zxing, draw(0, 255), width, height, false)).toBe("L7");
  expect(decode(zxing, draw(70, 140), width, height, false)).toBe("L7");
  expect(decode(zxing, draw(255, 255), width, height, true)).toBeUndefined();
});
