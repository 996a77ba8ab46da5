import type { EndEvent, S } from "./types";
import { advance, DONE, start } from "./walk";

type State = S["EndState"];
type Attempt = S["AttemptState"];
type Tables = S["RunTable"][];

/** The body of an attempt-started event. */
export type AttemptStarted = {
  procedureId: string;
  procedureVersion: number;
  batchId: string | null;
  schools: Record<string, string> | null;
  preflight: S["PreflightAnswer"][] | null;
  procedureHash: string | null;
  /** The crew's tools that it is made with. */
  toolIds?: string[] | null;
  inSpiteOf?: string | null;
};

export const schoolsOf = (table: S["RunTable"]) => Object.fromEntries(table.schools.map((s) => [s.option, s.choice]));

/** The schools that people choose; what the end itself answers is told of the end. */
export const chosenSchools = (table: S["RunTable"]) => table.schools.filter((s) => !s.ofEnd);

/** True where a table is for this end: what it differs by, the end itself answers so. */
export const isFor = (table: S["RunTable"], end: Pick<S["EndView"], "answers">) =>
  table.schools.every((s) => !s.ofEnd || end.answers[s.option] === s.choice);

export const sameSchools = (a: Record<string, string>, b: Record<string, string>) =>
  Object.keys(a).length === Object.keys(b).length && Object.entries(a).every(([k, v]) => b[k] === v);

/** The table that a run walks: its procedure, version and schools. */
export const tableOf = (
  tables: Tables,
  run: { procedureId: string; procedureVersion: number; schools: Record<string, string> },
) =>
  tables.find(
    (t) =>
      t.procedureId === run.procedureId && t.version === run.procedureVersion && sameSchools(schoolsOf(t), run.schools),
  );

export const isOpen = (a: Attempt) => a.closed === null && a.position.outcome !== "given-up";

export const current = (s: State): Attempt | undefined => s.attempts.filter(isOpen).at(-1) ?? s.attempts.at(-1);

/**
 * What the ledger will make of an event, as far as a device can know with no network: the run table is walked, nothing is judged.
 * Looks, measurements and acceptances wait for Core. An event that does not fit leaves the state as it is.
 */
export function apply(state: State, event: EndEvent, tables: Tables, before?: State): State {
  const body = event.body as Record<string, unknown>;
  const put = (runId: unknown, change: (a: Attempt) => Attempt): State => {
    const attempts = state.attempts.map((a) => (a.runId === runId ? change(a) : a));
    return told({ ...state, attempts }, event);
  };
  switch (event.kind) {
    case "attempt-started":
      return begin(state, event, tables);
    case "step-done":
    case "check-answered": {
      const run = state.attempts.find((a) => a.runId === body.runId);
      const table = run && tableOf(tables, run);
      const input = event.kind === "step-done" ? DONE : String(body.answerId);
      const move = run && table && advance(table, run.position, String(body.stepId), input);
      if (!run || !table || !move) return state;
      const left = table.states.find((s) => s.id === body.stepId) as S["RunState"];
      const next = table.states.find((s) => s.id === move.position.stateId);
      const phase = next?.phase ?? (move.position.outcome === "finished" ? "look" : left.phase);
      const loop = move.rung && {
        eventId: event.id,
        at: event.at,
        from: left.phase,
        to: phase,
        act: move.rung.act,
        reason: left.on[input]?.reason ?? null,
        minutes: move.rung.minutes,
        slackMm: move.rung.slackMm,
        parts: move.rung.parts,
        note: typeof body.note === "string" ? body.note : null,
      };
      const moved = put(run.runId, (a) => ({
        ...a,
        position: move.position,
        phase,
        timer: null,
        shards: a.shards + left.shards,
        shardActs: left.shards > 0 ? [...a.shardActs, { at: event.at, count: left.shards }] : a.shardActs,
        cleaves: a.cleaves + left.cleaves,
        arcs: a.arcs + left.arcs,
        loops: loop ? [...a.loops, loop] : a.loops,
        reworkMinutes: a.reworkMinutes + (loop?.minutes ?? 0),
        slackMm: a.slackMm + (loop?.slackMm ?? 0),
        partsLost: [...a.partsLost, ...(loop?.parts ?? [])],
        saidTogether:
          Number(body.together) > 1
            ? [...a.saidTogether, { eventId: event.id, stepId: left.id, ends: Number(body.together) }]
            : a.saidTogether,
        finishedAt: move.position.outcome === "finished" ? event.at : null,
        lastDeviceId: event.deviceId,
      }));
      return loop ? { ...moved, slackUsedMm: moved.slackUsedMm + loop.slackMm } : moved;
    }
    case "timer-started": {
      const run = state.attempts.find((a) => a.runId === body.runId);
      const timer = run && tableOf(tables, run)?.states.find((s) => s.id === body.stepId)?.timer;
      if (!run || !timer || run.position.stateId !== body.stepId) return state;
      const endsAt = new Date(Date.parse(event.at) + timer.durationS * 1000).toISOString();
      return put(run.runId, (a) => ({
        ...a,
        timer: { eventId: event.id, stepId: String(body.stepId), startedAt: event.at, endsAt },
      }));
    }
    case "preflight-answered": {
      const answer = body.answer as S["PreflightAnswer"];
      return put(body.runId, (a) => ({
        ...a,
        preflight: [...a.preflight.filter((p) => p.itemId !== answer.itemId), answer],
      }));
    }
    case "corrected":
      return before ? { ...before, lastAt: event.at } : state;
    default:
      return state;
  }
}

function begin(state: State, event: EndEvent, tables: Tables): State {
  const body = event.body as AttemptStarted;
  if (state.attempts.some((a) => a.runId === event.id)) return state;
  const run = { procedureId: body.procedureId, procedureVersion: body.procedureVersion, schools: body.schools ?? {} };
  const table = tableOf(tables, run);
  if (!table) return state;
  const attempt: Attempt = {
    ...run,
    schools: schoolsOf(table),
    procedureHash: table.hash,
    no: event.attempt,
    runId: event.id,
    startedBy: event.actorId,
    deviceId: event.deviceId,
    startedAt: event.at,
    position: start(table),
    phase: table.states[0]?.phase ?? "thread",
    loops: [],
    deviations: [],
    shards: 0,
    reworkMinutes: 0,
    slackMm: 0,
    partsLost: [],
    inspection: null,
    losses: [],
    wavelengths: [],
    closed: null,
    acceptedAt: null,
    batchId: body.batchId ?? null,
    toolIds: body.toolIds ?? [],
    inSpiteOf: body.inSpiteOf ?? null,
    preflight: body.preflight ?? [],
    cleaves: 0,
    arcs: 0,
    lastDeviceId: event.deviceId,
    timer: null,
    shardCount: null,
    strays: [],
    moreStrays: 0,
    looks: [],
    traces: [],
    cleavesSeen: [],
    lights: [],
    saidTogether: [],
    shardActs: [],
    damages: [],
    cause: null,
    splices: [],
    finishedAt: null,
    open: true,
    status: "at-bench",
    verdict: "none",
    farEndUnknown: false,
  };
  return told({ ...state, attempts: [...state.attempts, attempt] }, event);
}

/** Status, phase and verdict of a run that walks; what is judged keeps the ledger's word. */
function told(state: State, event: EndEvent): State {
  const attempts = state.attempts.map((a) => {
    const open = isOpen(a);
    const status: S["EndStatus"] = !open
      ? "to-remake"
      : a.position.outcome === "running"
        ? "at-bench"
        : a.status === "at-bench"
          ? "to-look"
          : (a.status ?? "to-look");
    return { ...a, open, status, verdict: open ? a.verdict : ("fail" as const) } as Attempt;
  });
  const now = attempts.filter(isOpen).at(-1) ?? attempts.at(-1);
  return {
    ...state,
    attempts,
    status: (state.conflict ? state.status : now?.status) ?? "planned",
    phase: now?.phase ?? null,
    verdict: now?.verdict ?? "none",
    lastAt: event.at,
  };
}
