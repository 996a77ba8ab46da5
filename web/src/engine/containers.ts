import { isOfEnd, type LedgerEvent, type S } from "./types";

/** Batches with the counts that wait on this device, as far as it knows what was made. */
export function counted(batches: S["BatchState"][], waiting: LedgerEvent[]): S["BatchState"][] {
  const counts = waiting.flatMap((w) => (!isOfEnd(w) && w.kind === "container-counted" ? [w] : []));
  return counts.reduce((all, w) => {
    const {
      made,
      counted: lie,
      floorChecked = false,
    } = w.body as { made: number; counted: number; floorChecked?: boolean };
    const count = {
      eventId: w.id,
      at: w.at,
      by: w.actorId,
      made,
      counted: lie,
      saidMade: made,
      note: null,
      floorChecked,
    };
    const before = all.find((b) => b.id === w.streamId);
    const batch = {
      id: w.streamId,
      lastAt: w.at,
      found: 0,
      counts: [...(before?.counts ?? []), count],
      off: lie - made,
    };
    return [...all.filter((b) => b.id !== w.streamId), batch];
  }, batches);
}

/** True while shards of a run are still to be counted into its batch's container. The opposite of Core's Shards.Counted; vectors keep them so. */
export function uncounted(run: S["AttemptState"], batches: S["BatchState"][]) {
  if (!run.batchId || run.shards === 0 || run.shardCount?.runShards === run.shards) return false;
  const at = batches.find((b) => b.id === run.batchId)?.counts.map((c) => Date.parse(c.at)) ?? [];
  const last = Math.max(...at);
  const acts = run.shardActs.length > 0 ? run.shardActs.map((a) => a.at) : [run.startedAt];
  return at.length === 0 || acts.some((a) => Date.parse(a) > last);
}
