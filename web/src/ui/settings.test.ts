import { expect, test } from "vitest";
import { formatLength, formatWords, siteTime } from "./settings";

test("lengths in millimetres and inches; one inch is 25.4 mm exactly", () => {
  expect(formatLength(25.4, "in")).toBe("1.00 in");
  expect(formatLength(19.05, "in")).toBe("0.75 in");
  expect(formatLength(29.5, "mm")).toBe("29.5 mm");
});

test("lengths inside a procedure's words follow the unit", () => {
  expect(formatWords("Clamp {10 in} from its end, leave {5 mm}", "mm")).toBe("Clamp 254 mm from its end, leave 5 mm");
  expect(formatWords("Clamp {10 in} from its end", "in")).toBe("Clamp 10.00 in from its end");
});

test("times are told by the site's clock", () => {
  expect(siteTime("2026-07-01T12:00:00Z", "Europe/London")).toContain("13:00");
  expect(siteTime("2026-07-01T12:00:00Z", "America/Denver")).toContain("06:00");
});
