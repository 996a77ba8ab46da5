import { expect, test } from "vitest";
import { isOld, levelOf, ofReference, type Reference, withCheck, withLevel } from "./reference";

const at = (hours: number) => new Date(Date.UTC(2026, 10, 20, 6 + hours));
const none: Reference = { levels: {}, method: "one-cord", repeatabilityDb: 0.05 };

test("a check or a retyping renews its own wavelength only", () => {
  let r = withLevel(withLevel(none, 850, -20, at(0)), 1300, 0, at(0));
  expect([850, 1300].map((nm) => isOld(r, nm, 12, at(11).getTime()))).toEqual([false, false]);
  r = withCheck(r, 850, -20.02, at(10));
  expect([850, 1300].map((nm) => isOld(r, nm, 12, at(13).getTime()))).toEqual([false, true]);
  r = withLevel(r, 1300, 0, at(13));
  expect([850, 1300].map((nm) => isOld(r, nm, 12, at(23).getTime()))).toEqual([true, false]);
  expect(ofReference(r, 850)).toEqual({
    referenceAt: at(0).toISOString(),
    referenceCheckedAt: at(10).toISOString(),
    referenceCords: null,
    instrumentId: null,
  });
  expect(ofReference(r, 1300).referenceCheckedAt).toBeNull();
});

test("0.00 dBm is a level, and nothing is none", () => {
  const r = withLevel(none, 850, 0, at(0));
  expect([levelOf(r, 850), levelOf(r, 1300), levelOf(withLevel(r, 850, null), 850)]).toEqual([0, null, null]);
});
