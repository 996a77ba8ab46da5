import type { S } from "./types";

/** The reference at one wavelength: set, checked and growing old on its own. */
export type Level = { dbm: number; at: string; check?: number | null; checkedAt?: string };

const HOUR = 3_600_000;

/** Whether readings may rest on a reference now, as Core judges it; by Core's own figures. */
export function judgeReference(
  level: Level | undefined,
  wavelengthNm: number,
  rule: S["ReferenceRule"],
  now: number,
): S["ReferenceJudgement"] {
  if (!level) return { wavelengthNm, state: "missing", ageHours: 0, driftDb: null };
  const set = Date.parse(level.at);
  const checked = typeof level.check === "number" && level.checkedAt ? Date.parse(level.checkedAt) : set;
  const ageHours = (now - Math.max(set, checked)) / HOUR;
  const driftDb = typeof level.check === "number" ? level.dbm - level.check : null;
  const state =
    ageHours * 60 < -rule.clockMinutes
      ? "future"
      : Math.abs(driftDb ?? 0) > rule.mostDriftDb + 1e-9
        ? "drifted"
        : ageHours > rule.oldestHours
          ? "old"
          : "good";
  return { wavelengthNm, state, ageHours, driftDb };
}
