import type { components } from "./schema";

export type S = components["schemas"];

export type Problem = { status: number; title: string; code: string; field: string; refusals: S["Refusal"][] };

/** What the server said no to, with the reason for each field. */
export class ApiError extends Error {
  constructor(readonly problem: Problem) {
    super(problem.title);
  }
}

/** The server could not be reached at all. */
export class NoSignal extends Error {}

let token = "";
let onSignedOut = () => {};

export function setToken(value: string) {
  token = value;
}

export function whenSignedOut(act: () => void) {
  onSignedOut = act;
}

async function call<T>(method: string, path: string, body?: unknown): Promise<T> {
  let response: Response;
  try {
    response = await fetch(path, {
      method,
      headers: {
        ...(body === undefined ? {} : { "Content-Type": "application/json" }),
        ...(method === "GET" ? {} : { "X-Rhabdon-Token": token }),
      },
      body: body === undefined ? undefined : JSON.stringify(body),
    });
  } catch {
    throw new NoSignal("No signal");
  }
  const text = await response.text();
  if (!response.ok) {
    if (response.status === 401 && path !== "/api/session") onSignedOut();
    let problem: Problem;
    try {
      problem = JSON.parse(text);
    } catch {
      problem = { status: response.status, title: response.statusText, code: "http", field: "", refusals: [] };
    }
    throw new ApiError({ ...problem, refusals: problem.refusals ?? [] });
  }
  return (text ? JSON.parse(text) : undefined) as T;
}

export const get = <T>(path: string) => call<T>("GET", path);
export const post = <T>(path: string, body?: unknown) => call<T>("POST", path, body ?? {});
export const put = <T>(path: string, body: unknown) => call<T>("PUT", path, body);
export const del = <T>(path: string) => call<T>("DELETE", path);

/** `?a=1&b=2` from what is set. */
export function query(values: Record<string, string | number | undefined | null>) {
  const q = new URLSearchParams();
  for (const [k, v] of Object.entries(values)) if (v !== undefined && v !== null && v !== "") q.set(k, String(v));
  const text = q.toString();
  return text ? `?${text}` : "";
}
