import type { S } from "../api/client";
import { useKnown } from "../api/hooks";
import { judgeReference, type Level } from "../engine/reference";

/** The reference that was set last on this device. */
export type Reference = {
  levels: Record<number, Level>;
  /** What the meter shows: power, or what is lost since it was zeroed. A zeroed meter's levels are 0. */
  shows?: "dbm" | "db";
  /** Why the last reference ended before its time. */
  ended?: { at: string; why: "source-off" | "cord-out" };
  method: S["ReferenceMethod"];
  cords?: string;
  /** The meter that reads; its own record says how well it repeats. */
  instrumentId?: string | null;
  /** When the source was switched on, where somebody said so; otherwise it had warmed up before. */
  sourceOnAt?: string;
  /** How long it had been on when the reference was set. */
  sourceOnMinutes?: number | null;
  /** Launch cord against receive cord. */
  cordLossDb?: number | null;
  /** The panel, or the jumper's cable, at which it was set or its cords were read again last. */
  placeId?: string;
};

/** When and where something is said of a reference, and how long a source takes to be steady. */
export type Said = { now?: Date; placeId?: string; warmUpMinutes?: number };

type Direction = NonNullable<S["Direction"]>;
type Kept = { last: Direction; by: Partial<Record<Direction, Reference>> };
type Before = Reference & {
  dbm?: Record<number, number | null>;
  at?: string;
  check?: Record<number, number | null>;
  checkedAt?: string;
};

const KEPT = "rhabdon.references";

const none: Reference = { levels: {}, method: "one-cord" };

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
export function withLevel(r: Reference, nm: number, dbm: number | null, said: Said = {}): Reference {
  const { [nm]: _, ...others } = r.levels;
  return dbm === null ? { ...r, levels: others } : set(r, { ...others, [nm]: { dbm, at: at(said) } }, said);
}

const at = (said: Said) => (said.now ?? new Date()).toISOString();

/** Set here and now: with how warm the source was, which is warm where nobody said that it was just switched on. */
const set = (r: Reference, levels: Reference["levels"], said: Said): Reference => ({
  ...r,
  levels,
  ended: undefined,
  placeId: said.placeId,
  sourceOnMinutes: sourceOnMinutes(r, said.now) ?? said.warmUpMinutes ?? null,
});

/** How long the source has been on since somebody switched it on; undefined where nobody did. */
export const sourceOnMinutes = (r: Reference, now = new Date()) =>
  r.sourceOnAt ? Math.max(0, Math.round((now.getTime() - Date.parse(r.sourceOnAt)) / 6000) / 10) : undefined;

/** The source was switched on just now: what was read before on a reference is over. */
export const withSourceOn = (r: Reference, now = new Date()): Reference => ({
  ...(Object.keys(r.levels).length > 0 ? withEnd(r, "source-off", now) : r),
  sourceOnAt: now.toISOString(),
});

/** What the meter shows from now on; a reference of the other kind is none for it. */
export const withShown = (r: Reference, shows: "dbm" | "db"): Reference =>
  (r.shows ?? "dbm") === shows ? r : { ...r, shows, levels: {}, ended: undefined };

/** The meter was zeroed on its cords just now, at all of these wavelengths. */
export const zeroed = (r: Reference, wavelengthsNm: number[], said: Said = {}): Reference =>
  set(r, Object.fromEntries(wavelengthsNm.map((nm) => [nm, { dbm: 0, at: at(said) }])), said);

/** A reference is over when the source went off or the launch cord left it, however young it is. */
export const withEnd = (r: Reference, why: "source-off" | "cord-out", now = new Date()): Reference => ({
  ...r,
  levels: {},
  ended: { at: now.toISOString(), why },
  ...(why === "source-off" ? { sourceOnAt: undefined } : { cordLossDb: null }),
});

/** Power through the link of what the meter shows: a loss with or without its minus is a loss. */
export const readingDbm = (r: Reference, shown: number) => (r.shows === "db" ? -Math.abs(shown) : shown);

/** The reference with one wavelength read again: a check that held makes that one young again, and good at this panel. */
export function withCheck(r: Reference, nm: number, check: number | null, said: Said = {}): Reference {
  const level = r.levels[nm];
  if (!level) return r;
  const checked = check === null ? { check: null, checkedAt: undefined } : { check, checkedAt: at(said) };
  const here = check === null || !said.placeId ? {} : { placeId: said.placeId };
  return { ...r, ...here, levels: { ...r.levels, [nm]: { ...level, ...checked } } };
}

/** What an event says of its reading and of the reference that it stands on. The link and its limits are the plan's. */
export const measuredWith = (r: Reference, nm: number, readingDbm: number) => {
  const level = r.levels[nm];
  return {
    reference: r.method,
    wavelengthNm: nm,
    referenceDbm: level?.dbm ?? 0,
    readingDbm,
    referenceAt: level?.at || null,
    referenceCheckedAt: (typeof level?.check === "number" && level.checkedAt) || null,
    referenceCords: r.cords || null,
    instrumentId: r.instrumentId ?? null,
    sourceOnMinutes: r.sourceOnMinutes ?? null,
    cordLossDb: r.cordLossDb ?? null,
    referencePlaceId: r.placeId ?? null,
  };
};

/** How the reference stands at each of these wavelengths. Where Core's figures are not known here yet, the ledger decides. */
export function useReferenceState(r: Reference, wavelengthsNm: number[], mode?: S["FiberMode"] | null) {
  const rule = useKnown().data?.reference;
  const of = (nm: number) => rule && judgeReference(r.levels[nm], nm, rule, Date.now());
  const mostCordDb = (mode && rule?.mostCordDb[mode]) || undefined;
  const cordsWorn = mostCordDb !== undefined && (r.cordLossDb ?? 0) > mostCordDb + 1e-9;
  return {
    of,
    /** The level that a reading may stand on; 0.00 dBm is one like any other. */
    levelOf: (nm: number): number | null =>
      !cordsWorn && (of(nm)?.state ?? "good") === "good" ? (r.levels[nm]?.dbm ?? null) : null,
    old: wavelengthsNm.filter((nm) => of(nm)?.state === "old"),
    mostCordDb,
    /** Launch against receive cord loses too much: no reading stands on them. */
    cordsWorn,
    warmUpMinutes: rule?.warmUpMinutes,
  };
}
