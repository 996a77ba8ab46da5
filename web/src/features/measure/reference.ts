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

const KEPT = "rhabdon.reference";

export const keptReference = (): Reference =>
  JSON.parse(localStorage.getItem(KEPT) ?? "null") ?? { dbm: {}, method: "one-cord", repeatabilityDb: 0.05, at: "" };

export function keepReference(reference: Reference): Reference {
  localStorage.setItem(KEPT, JSON.stringify(reference));
  return reference;
}
