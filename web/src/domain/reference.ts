import type { S } from "../api/client";

/** The reference at one wavelength: set, checked and growing old on its own. */
export type Level = { dbm: number; at: string; check?: number | null; checkedAt?: string };

/** The reference that was set last on this device. */
export type Reference = {
  levels: Record<number, Level>;
  method: S["ReferenceMethod"];
  repeatabilityDb: number;
  cords?: string;
  /** The meter that reads; its own record says how well it repeats. */
  instrumentId?: string | null;
};

type Direction = NonNullable<S["Direction"]>;
type Kept = { last: Direction; by: Partial<Record<Direction, Reference>> };
type Before = Reference & {
  dbm?: Record<number, number | null>;
  at?: string;
  check?: Record<number, number | null>;
  checkedAt?: string;
};

const KEPT = "rhabdon.references";
/** As meters usually repeat, where none is named; as Core's InsertionLoss.UsualRepeatabilityDb. */
export const USUAL_DB = 0.05;

const none: Reference = { levels: {}, method: "one-cord", repeatabilityDb: USUAL_DB };

/** What an earlier Rhabdon kept had one time for all wavelengths. */
function renewed(r: Before): Reference {
  if (r.levels) return r;
  const { dbm = {}, at = "", check = {}, checkedAt, ...rest } = r;
  const levels = Object.entries(dbm).flatMap(([nm, v]) =>
    typeof v === "number" ? [[nm, { dbm: v, at, check: check[Number(nm)] ?? null, checkedAt }]] : [],
  );
  return { ...rest, levels: Object.fromEntries(levels) };
}

const kept = (): Kept => JSON.parse(localStorage.getItem(KEPT) ?? "null") ?? { last: "a-to-b", by: {} };

/** Each direction has its own: the source stands at the other end. Without one, that which was set last. */
export const keptReference = (direction?: Direction): Reference => {
  const { last, by } = kept();
  const found = by[direction ?? last];
  return found ? renewed(found as Before) : none;
};

export function keepReference(reference: Reference, direction?: Direction): Reference {
  const { last, by } = kept();
  const of = direction ?? last;
  localStorage.setItem(KEPT, JSON.stringify({ last: of, by: { ...by, [of]: reference } }));
  return reference;
}

/** The reference with one wavelength set anew; the others stay as old as they are. */
export function withLevel(r: Reference, nm: number, dbm: number | null, now = new Date()): Reference {
  const { [nm]: _, ...others } = r.levels;
  return { ...r, levels: dbm === null ? others : { ...others, [nm]: { dbm, at: now.toISOString() } } };
}

/** The reference with one wavelength read again: a check that held makes that one young again. */
export function withCheck(r: Reference, nm: number, check: number | null, now = new Date()): Reference {
  const level = r.levels[nm];
  if (!level) return r;
  const checked = check === null ? { check: null, checkedAt: undefined } : { check, checkedAt: now.toISOString() };
  return { ...r, levels: { ...r.levels, [nm]: { ...level, ...checked } } };
}

const isChecked = (l: Level) => typeof l.check === "number";

/** What an event says of the reference that its reading stands on. */
export const ofReference = (r: Reference, nm: number) => {
  const level = r.levels[nm];
  return {
    referenceAt: level?.at || null,
    referenceCheckedAt: (level && isChecked(level) && level.checkedAt) || null,
    referenceCords: r.cords || null,
    instrumentId: r.instrumentId ?? null,
  };
};

/** True when this wavelength's reference is older than Core lets a reading stand on. */
export const isOld = (r: Reference, nm: number, hours: number | undefined, now = Date.now()) => {
  const level = r.levels[nm];
  if (!level?.at || hours === undefined) return false;
  const since = Math.max(Date.parse(level.at), isChecked(level) && level.checkedAt ? Date.parse(level.checkedAt) : 0);
  return now - since > hours * 3_600_000;
};

/** The level that a reading may stand on; 0.00 dBm is one like any other. */
export const levelOf = (r: Reference, nm: number, hours?: number): number | null =>
  isOld(r, nm, hours) ? null : (r.levels[nm]?.dbm ?? null);
