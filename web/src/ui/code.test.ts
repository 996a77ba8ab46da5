import * as zxing from "@zxing/library";
import { expect, test } from "vitest";
import { decode } from "./code";

// Code 128, set B, by hand: start 104, "L" 44, "7" 23, check (104 + 44 + 2 × 23) mod 103 = 91, stop. Widths by ISO/IEC 15417, from memory.
const BARS = ["211214", "132131", "312131", "412121", "2331112"];

/** A symbol of squares as a camera sees it, with its quiet zone. */
function picture(rows: string[], px: number, dark: number, light: number) {
  const side = (rows.length + 8) * px;
  const grey = new Uint8ClampedArray(side * side).fill(light);
  rows.forEach((row, y) => {
    [...row].forEach((c, x) => {
      if (c === "#")
        for (let i = 0; i < px; i++)
          grey.fill(dark, ((y + 4) * px + i) * side + (x + 4) * px, ((y + 4) * px + i) * side + (x + 5) * px);
    });
  });
  return [grey, side, side] as const;
}

// "123456" in ECC 200, 10 by 10: the worked example of ISO/IEC 16022, from memory (code words 142 164 186, 114 25 5 88 102).
const DATA_MATRIX = [
  "#.#.#.#.#.",
  "##..#.##.#",
  "##.....#..",
  "##...###.#",
  "##....#...",
  "#.....####",
  "###.##....",
  "####.##..#",
  "#..###.#..",
  "##########",
];

// "WL-4410", error correction M, as QRCoder 1.8.1 makes it.
const QR = [
  "#######....##.#######",
  "#.....#..#.#..#.....#",
  "#.###.#.#####.#.###.#",
  "#.###.#.##.#..#.###.#",
  "#.###.#.#.#.#.#.###.#",
  "#.....#.#.##..#.....#",
  "#######.#.#.#.#######",
  "........#.#..........",
  "#.#####....#..#####..",
  "####.#...######..#.#.",
  "#..#.##.#...#.##...#.",
  ".###.#....#####..####",
  "...#.##.###.#..#.#..#",
  "........###.#..#..##.",
  "#######..###.#..#..##",
  "#.....#.#.#....##.###",
  "#.###.#.####.#..#....",
  "#.###.#.########.#...",
  "#.###.#.#.#.#.##.##..",
  "#.....#..#.#####.##.#",
  "#######.#.#.#..#..#..",
];

test.each([
  ["Data Matrix", DATA_MATRIX, "123456"],
  ["QR", QR, "WL-4410"],
])("a %s of another maker is read, upright, turned and in poor light", (_, rows, text) => {
  const turned = rows.map((_row, y) =>
    rows
      .map((r) => r[y])
      .reverse()
      .join(""),
  );
  expect(decode(zxing, ...picture(rows, 6, 0, 255), true)).toBe(text);
  expect(decode(zxing, ...picture(turned, 6, 0, 255), true)).toBe(text);
  expect(decode(zxing, ...picture(rows, 8, 80, 150), true)).toBe(text);
  const torn = rows.map((r, y) => (y < rows.length / 2 ? r : ".".repeat(r.length)));
  expect(decode(zxing, ...picture(torn, 6, 0, 255), true)).toBeUndefined();
});

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
