import { expect, test } from "vitest";
import {
  measuredWith,
  type Reference,
  readingDbm,
  withCheck,
  withEnd,
  withLevel,
  withShown,
  withSourceOn,
  zeroed,
} from "./reference";

const at = (hours: number) => new Date(Date.UTC(2026, 10, 20, 6) + hours * 3_600_000);
const none: Reference = { levels: {}, method: "one-cord" };

test("a check or a retyping renews its own wavelength only", () => {
  const r = withCheck(withLevel(withLevel(none, 850, -20, { now: at(0) }), 1300, 0, { now: at(0) }), 850, -20.02, {
    now: at(10),
  });
  expect(measuredWith(r, 850, -20.4)).toEqual({
    reference: "one-cord",
    wavelengthNm: 850,
    referenceDbm: -20,
    readingDbm: -20.4,
    referenceAt: at(0).toISOString(),
    referenceCheckedAt: at(10).toISOString(),
    referenceCords: null,
    instrumentId: null,
    sourceOnMinutes: null,
    cordLossDb: null,
    referencePlaceId: null,
  });
  expect(measuredWith(r, 1300, -1).referenceCheckedAt).toBeNull();
  expect(withLevel(r, 1300, 0, { now: at(13) }).levels[1300]?.at).toBe(at(13).toISOString());
});

test("0.00 dBm is a level, and nothing is none", () => {
  const r = withLevel(none, 850, 0, { now: at(0) });
  expect([r.levels[850]?.dbm, r.levels[1300], withLevel(r, 850, null).levels[850]]).toEqual([0, undefined, undefined]);
});

test("a zeroed meter shows a loss, with its minus or without; power is not taken for it", () => {
  const power = withLevel(none, 850, -20, { now: at(0) });
  const zero = zeroed(withShown(power, "db"), [850, 1300], { now: at(1) });
  expect([readingDbm(power, -20.4), readingDbm(zero, 0.4), readingDbm(zero, -0.4)]).toEqual([-20.4, -0.4, -0.4]);
  expect(measuredWith(zero, 1300, -0.4)).toMatchObject({ referenceDbm: 0, referenceAt: at(1).toISOString() });
  expect(withShown(zero, "dbm").levels).toEqual({});
});

test("a reference is over when the source went off, however young it is, until it is set again", () => {
  const ended = withEnd(withLevel(none, 850, -20, { now: at(0) }), "source-off", at(1));
  expect([ended.levels, ended.ended?.why]).toEqual([{}, "source-off"]);
  expect(withLevel(ended, 850, -20.1, { now: at(2) }).ended).toBeUndefined();
});

test("a reference says how warm its source was and at which panel its cords were read last", () => {
  const here = { placeId: "P1", warmUpMinutes: 10 };
  expect(zeroed(none, [850], { ...here, now: at(1) })).toMatchObject({ sourceOnMinutes: 10, placeId: "P1" });
  const cold = zeroed(withSourceOn(none, at(1)), [850], { ...here, now: at(1.05) });
  expect(cold.sourceOnMinutes).toBe(3);
  expect(withCheck(cold, 850, 0.02, { placeId: "P2", now: at(2) })).toMatchObject({
    placeId: "P2",
    sourceOnMinutes: 3,
  });
  // Switched off and on again, what was set before is over.
  expect(withSourceOn(cold, at(2))).toMatchObject({
    levels: {},
    ended: { why: "source-off" },
    sourceOnAt: at(2).toISOString(),
  });
});
