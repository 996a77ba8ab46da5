import { type Query, type QueryClient, useQueryClient } from "@tanstack/react-query";
import { App } from "antd";
import { useLiveQuery } from "dexie-react-hooks";
import { useCallback, useEffect, useMemo, useSyncExternalStore } from "react";
import { useTranslation } from "react-i18next";
import { type S, stale } from "../api/client";
import { usePlace, useSession, useTools } from "../api/hooks";
import { counted } from "../engine/containers";
import { apply, current } from "../engine/project";
import { worn } from "../engine/wear";
import { type Aside, answers, db, type EndEvent, isOfEnd, type LedgerEvent, type Step } from "./db";
import { type Draft, flush, keep, NotKept, outbox, pendingFiles, whenTaken } from "./outbox";

export type Told = Draft;

const useWaiting = () => useSyncExternalStore(outbox.subscribe, outbox.waiting);

/** How many events wait on this device; tries to send them again every few seconds and when the network returns. */
export function useUnsent() {
  const count = useSyncExternalStore(outbox.subscribe, outbox.count);
  useEffect(() => {
    const again = () => {
      if (outbox.count() > 0) flush().catch(() => {});
    };
    again();
    const timer = setInterval(again, 4000);
    window.addEventListener("online", again);
    return () => {
      clearInterval(timer);
      window.removeEventListener("online", again);
    };
  }, []);
  return count;
}

/** What the server would not take from this device. */
export const useAside = (): Aside[] => useLiveQuery(() => db.aside.toArray(), [], []);

const END = "/api/ends/{endId}";
const PLACE = "/api/places/{placeId}/bench";
/** What is read of ends and of what happens once: out of date with each event. */
export const READ = [
  "/api/jobs/{jobId}/loom",
  "/api/ends",
  "/api/ends/{endId}/record",
  "/api/jobs",
  "/api/jobs/at-hand",
  "/api/jobs/{jobId}/log",
  "/api/today",
  "/api/places/{placeId}/suspects",
  "/api/ends/{endId}/diagnosis",
] as const;
const SAID_ONCE = [
  "/api/quarantine",
  "/api/batches/off",
  "/api/tools",
  "/api/lots",
  "/api/instruments",
  "/api/picks",
  "/api/picks/{pickId}",
  "/api/stock",
] as const;

/** What the server works out of a state beside it: slack, losses, the light's rule, whether shards are counted, whether the far end is made. */
const workedOut = (s: S["EndState"]) => {
  const now = current(s);
  return JSON.stringify([s.status, s.slackUsedMm, s.attempts.length, now?.shards, now?.losses]);
};

/**
 * Puts what the ledger made of events on screen and into what this device keeps: the answer is the truth, nothing is asked again.
 * True where the server works something else out of it, which has to be asked for once.
 */
async function renew(client: QueryClient, result: S["IntakeResult"]) {
  const byId = new Map(result.ends.map((s) => [s.endId, s]));
  let turned = false;
  const renewed = <T extends { endId: string; state: S["EndState"] }>(e: T): T => {
    const state = byId.get(e.endId);
    turned ||= !!state && workedOut(state) !== workedOut(e.state);
    return state ? { ...e, state } : e;
  };
  // An answer of before that is still on its way must not put the screen back; what it would have told is asked for after this.
  const ofEnds = { predicate: (q: Query) => [END, PLACE].includes(String(q.queryKey[1])) };
  turned = client.isFetching(ofEnds) > 0;
  await client.cancelQueries(ofEnds);
  client.setQueriesData<S["EndView"]>({ queryKey: ["get", END] }, (old) => old && renewed(old));
  client.setQueriesData<S["PanelBench"]>(
    { queryKey: ["get", PLACE] },
    (old) => old && { ...old, ends: old.ends.map(renewed), batches: withBatches(old.batches, result.streams ?? []) },
  );
  await answers.renew(result.ends);
  return turned;
}

/** Batches with the newest word of their containers. */
const withBatches = (batches: S["BatchState"][], streams: S["IntakeResult"]["streams"]) => {
  const told = streams.flatMap((s) => ("counts" in s ? [s as S["BatchState"]] : []));
  return [...batches.filter((b) => !told.some((n) => n.id === b.id)), ...told];
};

const REST_MS = 200;

/** Mounted once: hands on what the ledger answers, and says what it refused. */
export function useIntake() {
  const client = useQueryClient();
  const { message } = App.useApp();
  const { t } = useTranslation();
  useEffect(() => {
    let turned = false;
    let pause: ReturnType<typeof setTimeout> | undefined;
    return whenTaken(async (result) => {
      turned = (await renew(client, result)) || turned;
      for (const r of result.events)
        if (r.outcome === "quarantined") message.error(t("bench.refused", { reason: r.refusal?.message }));
      // Who works fast is asked for once, when the hands rest.
      clearTimeout(pause);
      pause = setTimeout(() => {
        if (outbox.count() > 0) return;
        void stale(client, ...READ, ...SAID_ONCE, ...(turned ? ([END, PLACE] as const) : []));
        turned = false;
      }, REST_MS);
    });
  }, [client, message, t]);
}

/** Writes events down: kept on this device first, then sent. True when they are safe in either place. */
export function useWrite() {
  const actor = useSession().data?.person?.personId;
  const { message } = App.useApp();
  const { t } = useTranslation();
  const write = useCallback(
    async (
      drafts: Draft[],
      wayBack?: (events: LedgerEvent[]) => Step[],
    ): Promise<{ ok: boolean; events: LedgerEvent[] }> => {
      if (!actor || drafts.length === 0) return { ok: false, events: [] };
      try {
        const events = await keep(actor, drafts, wayBack);
        // What is kept is safe; nobody waits long for a slow network.
        await Promise.race([flush().catch(() => {}), new Promise((done) => setTimeout(done, 2500))]);
        return { ok: true, events };
      } catch (e) {
        if (!(e instanceof NotKept)) throw e;
        message.error(t("app.notKept"), 8);
        return { ok: false, events: [] };
      }
    },
    [actor, message, t],
  );
  return write;
}

/** Writes events of any kind down, one after another. */
export function useLedger() {
  const write = useWrite();
  return useCallback((...drafts: Draft[]) => write(drafts), [write]);
}

/** A panel's bench as this device knows it: the server's word, with what waits here laid over it. */
export function useBench(placeId?: string) {
  const panel = usePlace(placeId);
  const waiting = useWaiting();
  const bench = useMemo(() => {
    if (!panel.data) return undefined;
    const mine = waiting.filter((w): w is EndEvent => isOfEnd(w) && panel.data.ends.some((e) => e.endId === w.endId));
    const batches = counted(panel.data.batches, waiting);
    if (mine.length === 0) return { ...panel.data, batches };
    const ends = panel.data.ends.map((e) => {
      const events = mine.filter((w) => w.endId === e.endId);
      if (events.length === 0) return e;
      const seen = new Map<string, S["EndState"]>();
      const state = events.reduce((s, w) => {
        seen.set(w.id, s);
        const target = w.kind === "corrected" ? (w.body as { eventId: string }).eventId : "";
        return apply(s, w, panel.data.tables, seen.get(target) ?? undone.get(target));
      }, e.state);
      return { ...e, state };
    });
    return { ...panel.data, ends, batches };
  }, [panel.data, waiting]);
  return { ...panel, data: bench } as typeof panel;
}

/** The tools of one's crew, with what waits here laid over what they have done. */
export function useCrewTools() {
  const tools = useTools();
  const waiting = useWaiting();
  return useMemo(() => worn(tools.data ?? [], waiting), [tools.data, waiting]);
}

/** States to go back to, for events that the server has already: filled as they are undone. */
export const undone = new Map<string, S["EndState"]>();

const MOST_STEPS = 5000;

/** After a reload: what was taken back stays taken back, and old steps make room. */
async function recall() {
  await db.steps.filter((s) => s.undone === true).each((s) => undone.set(s.eventId, s.before));
  const many = (await db.steps.count()) - MOST_STEPS;
  if (many > 0) await db.steps.bulkDelete(await db.steps.orderBy("eventId").limit(many).primaryKeys());
}
recall().catch(() => {});

/** The pictures and traces that wait on this device. */
export const usePendingFiles = () => useSyncExternalStore(outbox.subscribe, pendingFiles);

/** How many looks, readings and acceptances of an end wait to be judged. */
export const useAwaiting = (endId: string) =>
  useWaiting().filter(
    (w) => isOfEnd(w) && w.endId === endId && ["inspected", "measured", "accepted", "reworked"].includes(w.kind),
  ).length;
