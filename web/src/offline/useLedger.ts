import { useQueryClient } from "@tanstack/react-query";
import { App } from "antd";
import { useCallback, useEffect, useSyncExternalStore } from "react";
import { useTranslation } from "react-i18next";
import type { S } from "../api/client";
import { useSession } from "../api/hooks";
import { flush, keepAndSend, makeEvent, outbox } from "./outbox";

export type Told = { endId: string; attempt: number; kind: S["EventKind"]; body: unknown };

/** How many events wait on this device; tries to send them again every few seconds and when the network returns. */
export function useUnsent() {
  const count = useSyncExternalStore(outbox.subscribe, outbox.count);
  const client = useQueryClient();
  useEffect(() => {
    const again = () => {
      if (outbox.count() > 0) {
        flush()
          .then(async (r) => {
            if (r.length > 0) await client.invalidateQueries();
          })
          .catch(() => {});
      }
    };
    const timer = setInterval(again, 4000);
    window.addEventListener("online", again);
    return () => {
      clearInterval(timer);
      window.removeEventListener("online", again);
    };
  }, [client]);
  return count;
}

/** Writes events down: kept on the device, sent, and what the ledger made of them put on screen. */
export function useLedger() {
  const session = useSession();
  const client = useQueryClient();
  const { message } = App.useApp();
  const { t } = useTranslation();
  const actor = session.data?.person?.personId;
  return useCallback(
    async (...told: Told[]): Promise<{ ok: boolean; events: { id: string }[] }> => {
      if (!actor) return { ok: false, events: [] };
      const events = told.map((x) => makeEvent(actor, x.endId, x.attempt, x.kind, x.body));
      const results = await keepAndSend(events);
      let ok = true;
      // While this end has more waiting, the screen is ahead of the ledger: the answer to the last one counts.
      for (const state of results.flatMap((r) => r.ends).filter((e) => !outbox.holds(e.endId))) {
        client.setQueryData<S["EndView"]>(["end", state.endId], (old) => old && { ...old, state });
      }
      const mine = new Set(events.map((e) => e.id));
      for (const r of results.flatMap((x) => x.events)) {
        if (r.outcome === "quarantined" && r.id && mine.has(r.id)) {
          ok = false;
          message.error(t("bench.refused", { reason: r.refusal?.message }));
        }
      }
      if (results.length > 0 && outbox.count() === 0) {
        for (const key of ["loom", "ends", "record", "jobs", "quarantine", "end"])
          client.invalidateQueries({ queryKey: [key] });
      }
      return { ok, events };
    },
    [actor, client, message, t],
  );
}
