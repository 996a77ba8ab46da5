import type { S } from "./types";
import type { Position } from "./walk";

export type BatchStrand = { id: string; position: Position; timerEndsAt: string | null };

export type BatchNext = {
  strandId: string | null;
  stateId: string | null;
  together: string[];
  readyAt: string | null;
  blocked: boolean;
};

const NOTHING: BatchNext = { strandId: null, stateId: null, together: [], readyAt: null, blocked: false };

/** The next best act of a batch, chosen exactly as Core's Batches.Next does; vectors keep them alike. */
export function nextAct(
  table: S["RunTable"],
  strands: BatchStrand[],
  last: string | null,
  blocked: ReadonlySet<string>,
  now: number,
): BatchNext {
  const index = new Map(table.states.map((s, i) => [s.id, i]));
  const open = strands.filter((s) => s.position.stateId !== null);
  if (open.length === 0) return NOTHING;
  const at = (s: BatchStrand) => index.get(s.position.stateId as string) as number;
  const stateOf = (s: BatchStrand) => table.states[at(s)] as S["RunState"];
  const ends = (s: BatchStrand) => (s.timerEndsAt === null ? Number.NaN : Date.parse(s.timerEndsAt));
  const alone = (s: BatchStrand) => Object.keys(s.position.ladderUses).length > 0;
  const unattended = (s: BatchStrand) => stateOf(s).timer?.unattended === true;
  const cooking = (s: BatchStrand) => unattended(s) && ends(s) > now;
  const held = (s: BatchStrand) =>
    !alone(s) && open.some((o) => !alone(o) && at(o) < at(s) && table.states.slice(at(o), at(s)).some((x) => x.batch));

  const able = open.filter((s) => !cooking(s) && !held(s));
  const free = able.filter((s) => !blocked.has(s.position.stateId as string));
  if (able.length === 0) {
    const first = open.filter(cooking).sort((a, b) => ends(a) - ends(b))[0];
    return { ...NOTHING, readyAt: first?.timerEndsAt ?? null };
  }
  const pool = free.length > 0 ? free : able;
  const chosen = (pool.filter((s) => unattended(s) && ends(s) <= now).sort((a, b) => ends(a) - ends(b))[0] ??
    pool.find((s) => s.id === last && !stateOf(s).batch) ??
    pool.filter((s) => stateOf(s).batch).sort((a, b) => at(a) - at(b))[0] ??
    [...pool].sort((a, b) => at(b) - at(a))[0]) as BatchStrand;
  const together =
    stateOf(chosen).batch || table.together > 1
      ? pool.filter((s) => s.position.stateId === chosen.position.stateId).map((s) => s.id)
      : [chosen.id];
  return {
    strandId: chosen.id,
    stateId: chosen.position.stateId,
    together,
    readyAt: null,
    blocked: free.length === 0,
  };
}

/**
 * The acts that one tap may say: from where a strand waits to its next check, which the tap answers, or to its next timer, which the tap
 * starts. A timer that is up is passed like any act; an act of the whole batch is told on its own.
 */
export function runUp(
  table: S["RunTable"],
  stateId: string,
  blocked: ReadonlySet<string>,
  timerUp: boolean,
): S["RunState"][] {
  const acts: S["RunState"][] = [];
  for (let i = table.states.findIndex((s) => s.id === stateId); i >= 0 && i < table.states.length; i++) {
    const state = table.states[i] as S["RunState"];
    if (acts.length > 0 && (state.batch || blocked.has(state.id))) break;
    acts.push(state);
    if (state.question || state.batch || (state.timer && !(acts.length === 1 && timerUp))) break;
  }
  return acts;
}

/** True for a timer that begins with the answer before it: the hands hold from the moment at which they said that it is home. */
export const startsItself = (state: S["RunState"] | undefined) =>
  state !== undefined && !state.batch && state.timer?.unattended === false;
