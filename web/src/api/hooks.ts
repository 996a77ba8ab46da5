import { useQuery } from "@tanstack/react-query";
import { get, query, type S, setToken } from "./client";

/** One small hook per question asked of the server. */
export const useSession = () =>
  useQuery({
    queryKey: ["session"],
    queryFn: async () => {
      const session = await get<S["Session"]>("/api/session");
      setToken(session.token);
      return session;
    },
    staleTime: Number.POSITIVE_INFINITY,
  });

export const useJobs = () => useQuery({ queryKey: ["jobs"], queryFn: () => get<S["Job"][]>("/api/jobs?limit=200") });

export const useJob = (jobId?: string) =>
  useQuery({ queryKey: ["job", jobId], queryFn: () => get<S["JobDetail"]>(`/api/jobs/${jobId}`), enabled: !!jobId });

export const useLoom = (jobId?: string) =>
  useQuery({
    queryKey: ["loom", jobId],
    queryFn: () => get<S["JobLoom"]>(`/api/jobs/${jobId}/loom`),
    enabled: !!jobId,
  });

export const useEnd = (endId?: string) =>
  useQuery({ queryKey: ["end", endId], queryFn: () => get<S["EndView"]>(`/api/ends/${endId}`), enabled: !!endId });

export const useRecord = (endId?: string) =>
  useQuery({
    queryKey: ["record", endId],
    queryFn: () => get<S["EndRecord"]>(`/api/ends/${endId}/record`),
    enabled: !!endId,
  });

export const useTable = (procedureId?: string | null, version?: number | null) =>
  useQuery({
    queryKey: ["table", procedureId, version],
    queryFn: () => get<S["RunTable"]>(`/api/procedures/${procedureId}/${version}`),
    enabled: !!procedureId && !!version,
    staleTime: Number.POSITIVE_INFINITY,
  });

export const useProcedures = () =>
  useQuery({ queryKey: ["procedures"], queryFn: () => get<S["ProcedureLine"][]>("/api/procedures") });

export const useLimits = () =>
  useQuery({
    queryKey: ["limits"],
    queryFn: () => get<S["LimitSets"]>("/api/limits"),
    staleTime: Number.POSITIVE_INFINITY,
  });

/** What Core knows of methods and fiber classes. */
export const useKnown = () =>
  useQuery({
    queryKey: ["choices"],
    queryFn: () => get<S["Choices"]>("/api/choices"),
    staleTime: Number.POSITIVE_INFINITY,
  });

export const useEnds = (filter: Record<string, string | number | undefined>, enabled = true) =>
  useQuery({
    queryKey: ["ends", filter],
    queryFn: () => get<S["EndRow"][]>(`/api/ends${query(filter)}`),
    enabled,
  });

export const useCrews = () => useQuery({ queryKey: ["crews"], queryFn: () => get<S["Crew"][]>("/api/crews") });

export const usePeople = (enabled: boolean) =>
  useQuery({ queryKey: ["people"], queryFn: () => get<S["Person"][]>("/api/people"), enabled });

export const useQuarantine = (enabled: boolean) =>
  useQuery({ queryKey: ["quarantine"], queryFn: () => get<S["Quarantined"][]>("/api/quarantine"), enabled });
