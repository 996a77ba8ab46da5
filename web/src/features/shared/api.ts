import { useQuery } from "@tanstack/react-query";
import { ApiError, type Problem, type S } from "../../api/client";
import { serverAway } from "../../api/send";

/** What a link is opened by stands behind the # of its address: browsers keep that to themselves. */
export const secretOf = (hash: string) => decodeURIComponent(hash.replace(/^#/, ""));

/** Asks without an account, by the link's secret. Nothing of the answer is kept on the device. */
async function ask(path: string, secret?: string): Promise<Response> {
  const response = await fetch(path, { headers: secret ? { "X-Rhabdon-Link": secret } : {}, cache: "no-store" });
  if (response.ok) return response;
  const problem: Problem = await response
    .json()
    .catch(() => ({ status: response.status, title: response.statusText, code: "http", field: "", refusals: [] }));
  throw new ApiError({ ...problem, refusals: problem.refusals ?? [] });
}

const once = { retry: false, staleTime: Number.POSITIVE_INFINITY, refetchOnWindowFocus: false } as const;

export const useShared = (secret: string) =>
  useQuery({
    queryKey: ["shared", secret],
    queryFn: async (): Promise<S["SharedJob"]> => (await ask("/api/shared", secret)).json(),
    ...once,
  });

/** A file that the link opens, as an address of this page's own. */
export const useSharedFile = (path: string | null, secret: string) =>
  useQuery({
    queryKey: ["shared-file", path, secret],
    queryFn: async () => URL.createObjectURL(await (await ask(path ?? "", secret)).blob()),
    enabled: !!path,
    gcTime: 0,
    ...once,
  });

export const openShared = async (path: string, secret: string) => (await ask(path, secret)).blob();

export const useCheck = (code: string) =>
  useQuery({
    queryKey: ["check", code],
    queryFn: async (): Promise<S["SealedView"][]> => (await ask(`/api/check/${encodeURIComponent(code)}`)).json(),
    enabled: code.length > 0,
    ...once,
  });

/** Whose key it is; null where this server does not know it, or cannot be asked. */
export async function keyOwner(keyId: string): Promise<string | null | undefined> {
  if (!navigator.onLine || serverAway.now()) return undefined;
  try {
    return ((await (await ask(`/api/check/keys/${encodeURIComponent(keyId)}`)).json()) as S["KeyOwner"]).company;
  } catch (e) {
    return e instanceof ApiError && e.problem.status === 404 ? null : undefined;
  }
}
