import { useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { screen, stale } from "../api/client";
import { READ } from "./useLedger";

/** Watches a job: what others write down there shows at once. Without a network it is silent and comes back by itself. */
export function useLive(jobId?: string) {
  const client = useQueryClient();
  useEffect(() => {
    if (!jobId) return;
    let stop = () => {};
    let gone = false;
    let pending: ReturnType<typeof setTimeout> | undefined;
    import("@microsoft/signalr").then(({ HubConnectionBuilder, HttpTransportType, LogLevel }) => {
      if (gone) return;
      const live = new HubConnectionBuilder()
        .withUrl("/api/live", { skipNegotiation: true, transport: HttpTransportType.WebSockets })
        .withAutomaticReconnect({ nextRetryDelayInMilliseconds: () => 5000 })
        .configureLogging(LogLevel.None)
        .build();
      const watch = () => live.invoke("Watch", jobId).catch(() => {});
      live.on("changed", (_jobId: string, by: string | null) => {
        // What this screen wrote, the answer has told it.
        if (by === screen) return;
        missed();
      });
      const missed = () => {
        // Several devices may write in one breath: ask once for all of it.
        clearTimeout(pending);
        pending = setTimeout(() => {
          void stale(client, ...READ, "/api/ends/{endId}", "/api/places/{placeId}/bench");
        }, 250);
      };
      live.onreconnected(async () => {
        await watch();
        missed();
      });
      const begin = () => {
        if (gone) return;
        live
          .start()
          .then(watch)
          .catch(() => setTimeout(begin, 5000));
      };
      begin();
      stop = () => void live.stop().catch(() => {});
    });
    return () => {
      gone = true;
      clearTimeout(pending);
      stop();
    };
  }, [jobId, client]);
}
