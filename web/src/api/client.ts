import type { components } from "./schema";

export type S = components["schemas"];

export type Problem = {
  status: number;
  title: string;
  code: string;
  field: string;
  refusals: S["Refusal"][];
  /** What is there now, where a change was made on something older. */
  current?: unknown;
};

/** What the server said no to, with the reason for each field. */
export class ApiError extends Error {
  constructor(readonly problem: Problem) {
    super(problem.title);
  }
}

/** The server could not be reached at all. */
export class NoSignal extends Error {}

const LONGEST_MS = 30_000;
/** A picture or trace over a weak signal takes its time: a megabyte at some 100 kbit/s. */
const LONGEST_UPLOAD_MS = 300_000;

/** Where answers are kept for when there is no signal; this folder knows no storage of its own. */
export type Keeper = { keep(path: string, body: unknown): void; find<T>(path: string): Promise<T | undefined> };

let keeper: Keeper = { keep: () => {}, find: async () => undefined };

export function setKeeper(value: Keeper) {
  keeper = value;
}

/** This page, as long as it stands: what it wrote itself it need not be told. */
export const screen = Array.from(crypto.getRandomValues(new Uint8Array(8)), (b) =>
  b.toString(16).padStart(2, "0"),
).join("");

let token = "";
let onSignedOut = () => {};

export function setToken(value: string) {
  token = value;
}

export function whenSignedOut(act: () => void) {
  onSignedOut = act;
}

async function call<T>(method: string, path: string, body?: unknown, again = true): Promise<T> {
  let response: Response;
  try {
    response = await fetch(path, {
      method,
      headers: {
        // A form's type names its own border.
        ...(body === undefined || body instanceof FormData
          ? {}
          : { "Content-Type": body instanceof Blob ? "application/octet-stream" : "application/json" }),
        ...(method === "GET"
          ? {}
          : { "X-Rhabdon-Token": token, "X-Rhabdon-Clock": new Date().toISOString(), "X-Rhabdon-Screen": screen }),
      },
      body: body === undefined || body instanceof Blob || body instanceof FormData ? body : JSON.stringify(body),
      signal: AbortSignal.timeout(body instanceof Blob || body instanceof FormData ? LONGEST_UPLOAD_MS : LONGEST_MS),
    });
  } catch {
    throw new NoSignal("No signal");
  }
  let text: string;
  try {
    text = await response.text();
  } catch {
    throw new NoSignal("Cut off"); // the answer broke off in its middle
  }
  if (!response.ok) {
    if (response.status === 401 && path !== "/api/session") onSignedOut();
    let problem: Problem;
    try {
      problem = JSON.parse(text);
    } catch {
      problem = { status: response.status, title: response.statusText, code: "http", field: "", refusals: [] };
    }
    // The token belongs to a session that has gone: take the new one, and try once more.
    if (problem.code === "antiforgery" && again) {
      token = (await call<S["Session"]>("GET", "/api/session")).token;
      return call<T>(method, path, body, false);
    }
    // Between this device and the server something is down; that is no answer of ours.
    if (response.status === 502 || response.status === 503 || response.status === 504) throw new NoSignal("No signal");
    throw new ApiError({ ...problem, refusals: problem.refusals ?? [] });
  }
  try {
    return (text ? JSON.parse(text) : undefined) as T;
  } catch {
    throw new NoSignal("Cut off"); // an answer that is no whole JSON did not come from our server, or not all of it
  }
}

/** True when the server answers a question that needs its database. */
export const isWell = () =>
  call("GET", "/api/session").then(
    () => true,
    () => false,
  );

/** Reads from the server; with no signal, from what this device kept of it. */
export async function get<T>(path: string): Promise<T> {
  try {
    const body = await call<T>("GET", path);
    keeper.keep(path, body);
    return body;
  } catch (e) {
    const kept = e instanceof NoSignal ? await keeper.find<T>(path) : undefined;
    if (kept === undefined) throw e;
    return kept;
  }
}
export const post = <T>(path: string, body?: unknown) => call<T>("POST", path, body ?? {});
/** Sends a file as it is. */
export const upload = <T>(path: string, file: Blob | FormData) => call<T>("POST", path, file);
export const put = <T>(path: string, body: unknown) => call<T>("PUT", path, body);
export const del = <T>(path: string) => call<T>("DELETE", path);

/** `?a=1&b=2` from what is set. */
export function query(values: Record<string, string | number | undefined | null>) {
  const q = new URLSearchParams();
  for (const [k, v] of Object.entries(values)) if (v !== undefined && v !== null && v !== "") q.set(k, String(v));
  const text = q.toString();
  return text ? `?${text}` : "";
}
