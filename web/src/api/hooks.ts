import { useInfiniteQuery, useQuery } from "@tanstack/react-query";
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

/** Open jobs in one answer; more than that are found by their name. */
export const AT_HAND = 50;

/** The work at hand: open jobs, the next one due first. */
export const useAtHand = () =>
  useQuery({ queryKey: ["jobs", "at-hand"], queryFn: () => get<S["Job"][]>(`/api/jobs/at-hand?limit=${AT_HAND}`) });

/** Jobs whose customer or site has these words in it. */
export const useFoundJobs = (find: string) =>
  useQuery({
    queryKey: ["jobs", "found", find],
    queryFn: () => get<S["Job"][]>(`/api/jobs${query({ find, limit: 30 })}`),
    enabled: !!find,
    placeholderData: (before) => before,
  });

/** Answers of a list page by page, by the key of the last one. */
function usePages<T>(
  key: unknown[],
  path: string,
  filter: Record<string, string | undefined>,
  idOf: (row: T) => string,
  enabled = true,
) {
  return useInfiniteQuery({
    queryKey: [...key, "pages", filter],
    queryFn: ({ pageParam }) => get<T[]>(`${path}${query({ ...filter, after: pageParam, limit: PAGE })}`),
    initialPageParam: undefined as string | undefined,
    getNextPageParam: (last) => (last.length === PAGE && last.at(-1) ? idOf(last.at(-1) as T) : undefined),
    enabled,
  });
}

const PAGE = 100;

/** All jobs: open ones first, newest due first. */
export const useJobPages = (find?: string) => usePages<S["Job"]>(["jobs"], "/api/jobs", { find }, (j) => j.jobId);

export const useJob = (jobId?: string) =>
  useQuery({ queryKey: ["job", jobId], queryFn: () => get<S["JobDetail"]>(`/api/jobs/${jobId}`), enabled: !!jobId });

export const useLoom = (jobId?: string) =>
  useQuery({
    queryKey: ["loom", jobId],
    queryFn: () => get<S["JobLoom"]>(`/api/jobs/${jobId}/loom`),
    enabled: !!jobId,
  });

/** An end's strand, with the colours of its own cable. */
export function strandIn(loom: S["JobLoom"], endId: string): S["Strand"] | undefined {
  const end = loom.ends.find((e) => e.endId === endId);
  return end && loom.cables.find((c) => c.cableId === end.cableId)?.strands[end.strand - 1];
}

export const useEnd = (endId?: string) =>
  useQuery({ queryKey: ["end", endId], queryFn: () => get<S["EndView"]>(`/api/ends/${endId}`), enabled: !!endId });

export const useRecord = (endId?: string) =>
  useQuery({
    queryKey: ["record", endId],
    queryFn: () => get<S["EndRecord"]>(`/api/ends/${endId}/record`),
    enabled: !!endId,
  });

/** A run table; with `schools` as a run followed them, else as the company does. */
export const useTable = (procedureId?: string | null, version?: number | null, schools?: Record<string, string>) =>
  useQuery({
    queryKey: ["table", procedureId, version, schools],
    queryFn: () => {
      const follow =
        schools &&
        Object.entries(schools)
          .map(([o, c]) => `${o}:${c}`)
          .join(",");
      return get<S["RunTable"]>(`/api/procedures/${procedureId}/${version}${query({ schools: follow })}`);
    },
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

/** A panel, or a jumper by its cable, with all its ends and run tables, as the server has it; useBench lays what waits on this device over it. */
export const usePlace = (placeId?: string) =>
  useQuery({
    queryKey: ["panel", placeId],
    queryFn: () => get<S["PanelBench"]>(`/api/places/${placeId}/bench`),
    enabled: !!placeId,
  });

export const usePaper = (procedureId?: string, version?: number) =>
  useQuery({
    queryKey: ["paper", procedureId, version],
    queryFn: () => get<S["ProcedurePaper"]>(`/api/procedures/${procedureId}/${version}/document`),
    enabled: !!procedureId && !!version,
    staleTime: Number.POSITIVE_INFINITY,
  });

export const useSchools = () =>
  useQuery({ queryKey: ["schools"], queryFn: () => get<S["SchoolLine"][]>("/api/schools") });

type EndFilter = Record<string, string | number | undefined>;

export const endsQuery = (filter: EndFilter) => ({
  queryKey: ["ends", filter],
  queryFn: () => get<S["EndRow"][]>(`/api/ends${query(filter)}`),
});

export const useEnds = (filter: EndFilter, enabled = true) => useQuery({ ...endsQuery(filter), enabled });

export const useCrews = () => useQuery({ queryKey: ["crews"], queryFn: () => get<S["Crew"][]>("/api/crews") });

/** The company's people by name, however many. */
export const usePeoplePages = (filter: { find?: string; role?: S["Role"] }) =>
  usePages<S["Person"]>(["people"], "/api/people", filter, (p) => p.personId);

export const useQuarantine = (enabled: boolean) =>
  useQuery({ queryKey: ["quarantine"], queryFn: () => get<S["Quarantined"][]>("/api/quarantine"), enabled });

/** Batches whose container holds other shards than were made. */
export const useContainersOff = () =>
  useQuery({ queryKey: ["containers"], queryFn: () => get<S["ContainerOff"][]>("/api/batches/off") });

/** What was given to whom in a job, newest first. */
export const useAssignments = (jobId?: string) =>
  useQuery({
    queryKey: ["job", jobId, "assignments"],
    queryFn: () => get<S["AssignedLine"][]>(`/api/jobs/${jobId}/assignments`),
    enabled: !!jobId,
  });

/** The instruments of one's crew. */
export const useInstruments = (enabled = true) =>
  useQuery({
    queryKey: ["instruments"],
    queryFn: () => get<S["InstrumentState"][]>("/api/instruments"),
    enabled,
  });
