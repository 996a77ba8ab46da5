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
  requestId?: string | null;
};

/** What the server said no to, with the reason for each field. */
export class ApiError extends Error {
  constructor(readonly problem: Problem) {
    // Where something broke at the server: under which id whoever runs it finds it.
    super(problem.requestId ? `${problem.title} (${problem.requestId})` : problem.title);
  }
}

/** The server could not be reached at all. */
export class NoSignal extends Error {}

let away = false;
const watchers = new Set<() => void>();

function setAway(now: boolean) {
  if (away === now) return;
  away = now;
  for (const tell of watchers) tell();
}

/** True while something answers in the server's place, or the server has no database: that is no lack of signal. */
export const serverAway = {
  now: () => away,
  subscribe: (tell: () => void) => {
    watchers.add(tell);
    return () => void watchers.delete(tell);
  },
};

const LONGEST_MS = 30_000;
/** A picture or trace over a weak signal takes its time: a megabyte at some 100 kbit/s. */
const LONGEST_UPLOAD_MS = 300_000;

/** This page, as long as it stands: what it wrote itself it need not be told. */
export const screen = Array.from(crypto.getRandomValues(new Uint8Array(8)), (b) =>
  b.toString(16).padStart(2, "0"),
).join("");

/** Of the session, as it was asked for last; a write without it is refused. */
let token = "";
let onSignedOut = () => {};

export function whenSignedOut(act: () => void) {
  onSignedOut = act;
}

/** Sends one question and waits for the whole answer; every refusal is an error that says what was wrong. */
export async function send(
  method: string,
  path: string,
  body?: string | Blob | FormData,
  again = true,
): Promise<string> {
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
      body,
      signal: AbortSignal.timeout(typeof body === "string" || body === undefined ? LONGEST_MS : LONGEST_UPLOAD_MS),
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
      await send("GET", "/api/session");
      return send(method, path, body, false);
    }
    // Between this device and the server something is down; that is no answer of ours.
    if (response.status === 502 || response.status === 503 || response.status === 504) {
      // What somebody else holds for a moment is free again when this is sent next.
      setAway(problem.code !== "busy");
      throw new NoSignal(problem.title || "No signal");
    }
    setAway(false);
    throw new ApiError({ ...problem, refusals: problem.refusals ?? [] });
  }
  try {
    if (text) JSON.parse(text);
  } catch {
    throw new NoSignal("Cut off"); // an answer that is no whole JSON did not come from our server, or not all of it
  }
  setAway(false);
  if (method === "GET" && path === "/api/session") token = (JSON.parse(text) as S["Session"]).token;
  return text;
}

/** Sends a file as it is; its address is kept as text where the file waits for a signal. */
export const upload = async <T>(path: string, file: Blob | FormData): Promise<T> =>
  JSON.parse(await send("POST", path, file));

/** As {@link upload}, in the place of what was there. */
export const put = async <T>(path: string, file: Blob): Promise<T> => JSON.parse(await send("PUT", path, file));

/** True when the server answers a question that needs its database. */
export const isWell = () =>
  send("GET", "/api/session").then(
    () => true,
    () => false,
  );

/** `?a=1&b=2` from what is set. */
export function query(values: Record<string, string | number | undefined | null>) {
  const q = new URLSearchParams();
  for (const [k, v] of Object.entries(values)) if (v !== undefined && v !== null && v !== "") q.set(k, String(v));
  const text = q.toString();
  return text ? `?${text}` : "";
}
