import type { S } from "./types";

/** A meter shows hundredths; a hair of binary rounding must not turn a verdict. */
const HAIR = 1e-9;

/** Whether the longest wavelength loses so much more than the shortest that it is a bend, as Core's Bend.Seen; vectors keep them alike. */
export function bent(lossesDb: Record<number, number>, leastDb: number): boolean {
  const read = Object.entries(lossesDb)
    .map(([nm, db]) => ({ nm: Number(nm), db }))
    .sort((a, b) => a.nm - b.nm);
  const [shortest, longest] = [read[0], read.at(-1)];
  return read.length > 1 && !!shortest && !!longest && longest.db - shortest.db >= leastDb;
}

/** Whether a connector in a trace keeps its limits, as Core's TraceLimits; vectors keep them alike. */
export const traceKeeps = (lossDb: number, reflectanceDb: number | null | undefined, limits: S["TraceLimits"]) => ({
  loss: lossDb <= limits.lossDb + HAIR,
  reflectance: reflectanceDb == null || reflectanceDb <= limits.reflectanceDb + HAIR,
});

/** How a loss stands to its limit, as Core's InsertionLoss.Verdict; vectors keep them alike. */
export function lossVerdict(lossDb: number, limitDb: number, repeatabilityDb: number): S["LossVerdict"] {
  const marginDb = limitDb - lossDb;
  if (lossDb < -repeatabilityDb - HAIR) return "bad-reference";
  if (Math.abs(marginDb) <= repeatabilityDb + HAIR) return marginDb < -HAIR ? "marginal-over" : "marginal-under";
  return marginDb > 0 ? "pass" : "fail";
}
