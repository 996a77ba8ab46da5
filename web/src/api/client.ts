import type { QueryClient } from "@tanstack/react-query";
import createClient from "openapi-fetch";
import createQueries from "openapi-react-query";
import type { paths } from "./schema";
import { NoSignal, send } from "./send";

export { ApiError, NoSignal, type Problem, query, type S, screen, upload, whenSignedOut } from "./send";

/** Where answers are kept for when there is no signal; this folder knows no storage of its own. */
export type Keeper = {
  keep(path: string, body: unknown): void;
  find(path: string): Promise<{ body: unknown; at: string } | undefined>;
};

let keeper: Keeper = { keep: () => {}, find: async () => undefined };

export function setKeeper(value: Keeper) {
  keeper = value;
}

const since = new Map<string, string>();
const told = new Set<() => void>();
const tell = () => {
  for (const t of told) t();
};

/** Lists that are shown from what this device kept, until the server has answered them again. What is not a list of work does not age by the hour. */
export const keptAnswers = {
  /** As of when the oldest of them is; empty where all is as the server has it. */
  oldest: () => [...since].reduce((old, [, at]) => (old && old < at ? old : at), ""),
  forget: () => {
    since.clear();
    tell();
  },
  subscribe: (t: () => void) => {
    told.add(t);
    return () => void told.delete(t);
  },
};
const AGES = /^\/api\/(today|jobs|places|ends|tools)\b/;

/** Reads from the server; with no signal, from what this device kept of it. */
async function read(path: string): Promise<string> {
  try {
    const text = await send("GET", path);
    keeper.keep(path, JSON.parse(text));
    // The server is there again: what else is on screen is asked anew by itself.
    if (since.size > 0) keptAnswers.forget();
    return text;
  } catch (e) {
    const kept = e instanceof NoSignal ? await keeper.find(path) : undefined;
    if (kept === undefined) throw e;
    if (AGES.test(path)) {
      since.set(path, kept.at);
      tell();
    }
    return JSON.stringify(kept.body);
  }
}

async function answer(request: Request): Promise<Response> {
  const { pathname, search } = new URL(request.url);
  const path = pathname + search;
  const text = request.method === "GET" ? await read(path) : await send(request.method, path, await request.text());
  return text
    ? new Response(text, { headers: { "Content-Type": "application/json" } })
    : new Response(null, { status: 204 });
}

/** The server's questions, as its own document has them: paths, parameters, bodies and answers are checked when this is built. */
export const http = createClient<paths>({
  baseUrl: globalThis.location?.origin ?? "http://localhost",
  fetch: answer,
});

/** The same as hooks: `api.useQuery("get", "/api/…")`. */
export const api = createQueries(http);

/** What was answered; a refusal has thrown already. */
export const answered = async <T>(asked: Promise<{ data?: T }>): Promise<T> => (await asked).data as T;

/** Answers to these questions are no longer true: what is on screen of them is asked again. */
export const stale = (client: QueryClient, ...asked: (keyof paths)[]) =>
  client.invalidateQueries({ predicate: (q) => asked.includes(q.queryKey[1] as keyof paths) });
