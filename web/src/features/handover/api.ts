import type { QueryClient } from "@tanstack/react-query";
import { api, type S, stale } from "../../api/client";

/** One small hook per question that handing over asks. */
export const useHandover = (jobId: string) =>
  api.useQuery(
    "get",
    "/api/jobs/{jobId}/handover",
    { params: { path: { jobId } } },
    { refetchInterval: (q) => ((q.state.data?.handovers ?? []).some((h) => drawn(h.paper)) ? 3000 : false) },
  );

const drawn = (d: S["DossierView"] | null) => d?.stage === "waiting" || d?.stage === "drawing";

/** Asked again every second while one of them is drawn. */
export const useDossiers = (jobId: string) =>
  api.useQuery(
    "get",
    "/api/jobs/{jobId}/dossiers",
    { params: { path: { jobId } } },
    {
      refetchInterval: (q) => ((q.state.data ?? []).some(drawn) ? 1000 : false),
    },
  );

export const useLinks = (jobId: string) =>
  api.useQuery("get", "/api/jobs/{jobId}/links", { params: { path: { jobId } } });

export const useLetterhead = () => api.useQuery("get", "/api/letterhead");

export const papersStale = (client: QueryClient) =>
  stale(client, "/api/jobs/{jobId}/dossiers", "/api/jobs/{jobId}/handover");
