import type { S } from "../../api/client";
import { isOpen } from "../../engine/project";

/** The connector of an end that is made and not accepted yet, if there is one. */
export const toMeasure = (e?: S["EndView"]) =>
  e?.state.attempts.filter((a) => isOpen(a) && a.position.outcome === "finished" && a.acceptedAt === null).at(-1);
