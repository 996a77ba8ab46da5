import type { S } from "../../api/client";

/** The reference that was set last on this device, per wavelength. */
export type Reference = {
  dbm: Record<string, number | null>;
  method: S["ReferenceMethod"];
  repeatabilityDb: number;
  at: string;
  cords?: string;
  check?: Record<string, number | null>;
  checkedAt?: string;
};

type Direction = NonNullable<S["Direction"]>;
type Kept = { last: Direction; by: Partial<Record<Direction, Reference>> };

const KEPT = "rhabdon.references";
const none: Reference = { dbm: {}, method: "one-cord", repeatabilityDb: 0.05, at: "" };

const kept = (): Kept => JSON.parse(localStorage.getItem(KEPT) ?? "null") ?? { last: "a-to-b", by: {} };

/** Each direction has its own: the source stands at the other end. Without one, that which was set last. */
export const keptReference = (direction?: Direction): Reference => {
  const { last, by } = kept();
  return by[direction ?? last] ?? none;
};

export function keepReference(reference: Reference, direction?: Direction): Reference {
  const { last, by } = kept();
  const of = direction ?? last;
  localStorage.setItem(KEPT, JSON.stringify({ last: of, by: { ...by, [of]: reference } }));
  return reference;
}

/** What an event says of the reference that its reading stands on. */
export const ofReference = (r: Reference) => ({ referenceAt: r.at || null, referenceCords: r.cords || null });

/** True when it is older than Core lets a reading stand on. */
export const isOld = (r: Reference, hours: number | undefined) =>
  !!r.at && hours !== undefined && Date.now() - Date.parse(r.at) > hours * 3_600_000;
