import { api, type S } from "./client";
import type { paths } from "./schema";

const FOREVER = { staleTime: Number.POSITIVE_INFINITY };

/** What a list is filtered by, as its question takes it. */
type Filter<P extends keyof paths> = NonNullable<
  paths[P] extends { get: { parameters: { query?: infer Q } } } ? Q : never
>;

/** One small hook per question asked of the server. */
export const useSession = () => api.useQuery("get", "/api/session", undefined, FOREVER);

/** Open jobs in one answer; more than that are found by their name. */
export const AT_HAND = 50;

/** The work at hand: open jobs, the next one due first. */
export const useAtHand = () => api.useQuery("get", "/api/jobs/at-hand", { params: { query: { limit: AT_HAND } } });

/** What is mine, what is next, will it be done: as far as this person's role is told. */
export const useToday = () => api.useQuery("get", "/api/today", undefined, { refetchInterval: 60_000 });

/** Jobs whose customer or site has these words in it. */
export const useFoundJobs = (find: string) =>
  api.useQuery(
    "get",
    "/api/jobs",
    { params: { query: { find, limit: 30 } } },
    { enabled: !!find, placeholderData: (before: S["Job"][] | undefined) => before },
  );

/** How answers of a list come page by page, by the key of the last one. */
const PAGE = 100;

const paged = <T>(idOf: (row: T) => string) => ({
  pageParamName: "after",
  // Where nothing is said, the companion would say 0.
  initialPageParam: null as string | null,
  getNextPageParam: (last: T[]) => (last.length === PAGE && last.at(-1) ? idOf(last.at(-1) as T) : undefined),
});

/** All jobs: open ones first, newest due first. */
export const useJobPages = (find?: string) =>
  api.useInfiniteQuery(
    "get",
    "/api/jobs",
    { params: { query: { find, limit: PAGE } } },
    paged<S["Job"]>((j) => j.jobId),
  );

export const useJob = (jobId = "") =>
  api.useQuery("get", "/api/jobs/{jobId}", { params: { path: { jobId } } }, { enabled: !!jobId });

export const useLoom = (jobId = "") =>
  api.useQuery("get", "/api/jobs/{jobId}/loom", { params: { path: { jobId } } }, { enabled: !!jobId });

/** An end's strand, with the colours of its own cable. */
export function strandIn(loom: S["JobLoom"], endId: string): S["Strand"] | undefined {
  const end = loom.ends.find((e) => e.endId === endId);
  return end && loom.cables.find((c) => c.cableId === end.cableId)?.strands[end.strand - 1];
}

export const useEnd = (endId: string | null = "") =>
  api.useQuery("get", "/api/ends/{endId}", { params: { path: { endId: endId ?? "" } } }, { enabled: !!endId });

export const useRecord = (endId = "") =>
  api.useQuery("get", "/api/ends/{endId}/record", { params: { path: { endId } } }, { enabled: !!endId });

/** What was kept of an end: pictures and traces. */
export const useEvidence = (endId: string | null) =>
  api.useQuery(
    "get",
    "/api/ends/{endId}/evidence",
    { params: { path: { endId: endId ?? "" } } },
    { enabled: !!endId, retry: false },
  );

const pairs = (of?: Record<string, string>) =>
  of &&
  Object.entries(of)
    .map(([o, c]) => `${o}:${c}`)
    .join(",");

/** A run table; with `schools` as a run followed them, else as the company does; with `of` for an end of that form, polish and mode. */
export const useTable = (
  procedureId?: string | null,
  version?: number | null,
  schools?: Record<string, string>,
  of?: Record<string, string>,
) =>
  api.useQuery(
    "get",
    "/api/procedures/{procedureId}/{version}",
    {
      params: {
        path: { procedureId: procedureId ?? "", version: version ?? 0 },
        query: { schools: pairs(schools), of: pairs(of) },
      },
    },
    { ...FOREVER, enabled: !!procedureId && !!version },
  );

export const useProcedures = () => api.useQuery("get", "/api/procedures");

export const useLimits = () => api.useQuery("get", "/api/limits", undefined, FOREVER);

/** What Core knows of methods, fiber classes, light and references. */
export const useKnown = () => api.useQuery("get", "/api/choices", undefined, FOREVER);

/** A panel, or a jumper by its cable, with all its ends and run tables, as the server has it; useBench lays what waits on this device over it. */
export const usePlace = (placeId = "") =>
  api.useQuery("get", "/api/places/{placeId}/bench", { params: { path: { placeId } } }, { enabled: !!placeId });

export const usePaper = (procedureId = "", version = 0) =>
  api.useQuery(
    "get",
    "/api/procedures/{procedureId}/{version}/document",
    { params: { path: { procedureId, version } } },
    { ...FOREVER, enabled: !!procedureId && !!version },
  );

export const useSchools = () => api.useQuery("get", "/api/schools");

export type EndFilter = Filter<"/api/ends">;

export const endsQuery = (filter: EndFilter) => api.queryOptions("get", "/api/ends", { params: { query: filter } });

export const useEnds = (filter: EndFilter, enabled = true) =>
  api.useQuery("get", "/api/ends", { params: { query: filter } }, { enabled });

/** Ends page by page, however many. */
export const useEndPages = (filter: EndFilter) =>
  api.useInfiniteQuery(
    "get",
    "/api/ends",
    { params: { query: { ...filter, limit: PAGE } } },
    paged<S["EndRow"]>((e) => e.endId),
  );

export const useCrews = (enabled = true) => api.useQuery("get", "/api/crews", {}, { enabled });

/** The company's people by name, however many. */
export const usePeoplePages = (filter: { find?: string; role?: S["Role"]; disabled?: boolean }) =>
  api.useInfiniteQuery(
    "get",
    "/api/people",
    { params: { query: { ...filter, limit: PAGE } } },
    paged<S["Person"]>((p) => p.personId),
  );

/** Where a person is signed in. */
export const useSignIns = (personId = "") =>
  api.useQuery("get", "/api/people/{personId}/sign-ins", { params: { path: { personId } } }, { enabled: !!personId });

/** Tokens for scripts. */
export const useTokens = () => api.useQuery("get", "/api/tokens");

export const useBackup = () => api.useQuery("get", "/api/backup");
export const useAbout = () => api.useQuery("get", "/api/about");
export const useStorage = () => api.useQuery("get", "/api/storage");

/** How a tablet reaches the server. */
export const useReach = () => api.useQuery("get", "/api/reach");

/** Whether one signs in with one-time codes. */
export const useOwnCode = () => api.useQuery("get", "/api/me/code");

/** Of which roles the company asks one-time codes. */
export const useCodeRoles = () => api.useQuery("get", "/api/codes");

export const useOwnSignIns = () => api.useQuery("get", "/api/me/sign-ins");

export const useQuarantineCauses = (enabled: boolean) =>
  api.useQuery("get", "/api/quarantine/causes", undefined, { enabled });

type AuditFilter = Filter<"/api/audit">;

/** Who did what beside the ledger, newest first. */
export const useAuditPages = (filter: AuditFilter) =>
  api.useInfiniteQuery(
    "get",
    "/api/audit",
    { params: { query: { ...filter, limit: PAGE } } },
    paged<S["AuditEntry"]>((e) => String(e.auditId)),
  );

/** One refused entry, all of it. */
export const useQuarantined = (quarantineId: string, enabled: boolean) =>
  api.useQuery("get", "/api/quarantine/{quarantineId}", { params: { path: { quarantineId } } }, { enabled });

/** Batches whose container holds other shards than were made. */
export const useContainersOff = (enabled = true) => api.useQuery("get", "/api/batches/off", undefined, { enabled });

/** What was given to whom in a job, newest first. */
export const useAssignments = (jobId = "") =>
  api.useQuery("get", "/api/jobs/{jobId}/assignments", { params: { path: { jobId } } }, { enabled: !!jobId });

/** The tools of one's crew. */
export const useTools = (enabled = true) => api.useQuery("get", "/api/tools", undefined, { enabled });

/** The instruments of one's crew. */
export const useInstruments = (enabled = true) => api.useQuery("get", "/api/instruments", undefined, { enabled });

/** What the company pays and how long things take it. */
export const useFigures = () => api.useQuery("get", "/api/company/figures");

export const usePicks = (all = false) => api.useQuery("get", "/api/picks", { params: { query: { all } } });

export const usePickList = (pickId = "") =>
  api.useQuery(
    "get",
    "/api/picks/{pickId}",
    { params: { path: { pickId } } },
    // Several load from one list: what another one took is seen soon.
    { enabled: !!pickId, retry: 3, refetchInterval: 10_000 },
  );

export const useStock = (crewId?: string) => api.useQuery("get", "/api/stock", { params: { query: { crewId } } });
