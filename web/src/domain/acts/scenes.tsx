import { adhesive } from "./adhesive";
import type { Kind, Scene } from "./facts";
import { join } from "./join";
import { prepare } from "./prepare";
import { splice } from "./splice";

/** One drawing for each kind of act. */
export const scenes: Record<Kind, Scene> = { ...prepare, ...join, ...adhesive, ...splice };
