import type { S } from "./types";

export type Position = S["RunPosition"];

export const DONE = "done";

/** Walks the compiled run table exactly as Core does; tests/vectors/walks.json holds both to it. Null where Core refuses. */
export function advance(
  table: S["RunTable"],
  position: Position,
  stepId: string,
  input: string,
): { position: Position; rung: S["RunRung"] | null } | null {
  if (position.stateId === null || position.stateId !== stepId) return null;
  const transition = table.states.find((s) => s.id === stepId)?.on[input];
  if (!transition) return null;
  if (transition.ladder === null) {
    return {
      position: { ...position, stateId: transition.to, outcome: transition.to === null ? "finished" : "running" },
      rung: null,
    };
  }
  const used = position.ladderUses[transition.ladder] ?? 0;
  const rung = table.ladders.find((l) => l.id === transition.ladder)?.uses[used];
  if (!rung) return null;
  return {
    position: {
      stateId: rung.to,
      ladderUses: { ...position.ladderUses, [transition.ladder]: used + 1 },
      outcome: rung.to === null ? "given-up" : "running",
    },
    rung,
  };
}

export const start = (table: S["RunTable"]): Position => ({
  stateId: table.start,
  ladderUses: {},
  outcome: "running",
});
