import type { S } from "./types";

/** A meter shows hundredths; a hair of binary rounding must not turn a verdict. */
const HAIR = 1e-9;

/** How a loss stands to its limit, as Core's InsertionLoss.Verdict; vectors keep them alike. */
export function lossVerdict(lossDb: number, limitDb: number, repeatabilityDb: number): S["LossVerdict"] {
  const marginDb = limitDb - lossDb;
  if (lossDb < -repeatabilityDb - HAIR) return "bad-reference";
  if (Math.abs(marginDb) <= repeatabilityDb + HAIR) return marginDb < -HAIR ? "marginal-over" : "marginal-under";
  return marginDb > 0 ? "pass" : "fail";
}
