import type { components } from "../api/schema";

/** Shapes as the API document has them; the engine knows nothing else of the server. */
export type S = components["schemas"];

type Written = { id: string; at: string; deviceId: string; deviceSeq: number; actorId: string; body: unknown };

/** An event of an end, as the ledger takes it in. */
export type EndEvent = Written & { endId: string; attempt: number; kind: S["EventKind"] };

/** What happens once: to a batch, a job, a crew, a tool, a lot or an instrument. */
export type StreamEvent = Written & { stream: StreamKind; streamId: string; kind: StreamEventKind };

export type StreamKind = "batch" | "job" | "crew" | "tool" | "lot" | "instrument" | "pick" | "store";

export type StreamEventKind =
  | "container-counted"
  | "shards-found"
  | "delayed"
  | "handed-over"
  | "blocked"
  | "block-lifted"
  | "kit-said"
  | "tool-added"
  | "tool-used"
  | "tool-reset"
  | "tool-retired"
  | "tool-counter-read"
  | "lot-opened"
  | "lot-finished"
  | "instrument-added"
  | "calibrated"
  | "instrument-retired"
  | "stock-counted"
  | "store-counted"
  | "pick-made"
  | "pick-loaded"
  | "pick-closed";

export type LedgerEvent = EndEvent | StreamEvent;

export const isOfEnd = (e: LedgerEvent): e is EndEvent => "endId" in e;
