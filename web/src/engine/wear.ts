import { isOfEnd, type LedgerEvent, type S } from "./types";

type Counts = S["ToolCounts"];

/** Which count wears what. */
const WORN_BY: Record<S["WearKind"], (c: Counts) => number> = {
  "arcs-of-charge": (c) => c.arcs,
  "arcs-of-electrodes": (c) => c.arcs,
  "cleaves-of-position": (c) => c.cleaves,
  "strokes-of-sheet": (c) => c.strokes,
  "minutes-of-charge": (c) => c.litS / 60,
};

const NONE: Counts = { arcs: 0, charges: 0, cleaves: 0, strokes: 0, litS: 0 };

/** Tools with what waits on this device laid over the server's last word, as far as it only adds. */
export function worn(tools: S["ToolState"][], waiting: LedgerEvent[]): S["ToolState"][] {
  const used = new Map<string, Counts>();
  for (const w of waiting) {
    if (isOfEnd(w) || w.kind !== "tool-used") continue;
    const [sum, more] = [used.get(w.streamId) ?? NONE, { ...NONE, ...(w.body as Partial<Counts>) }];
    used.set(w.streamId, {
      arcs: sum.arcs + more.arcs,
      charges: sum.charges + more.charges,
      cleaves: sum.cleaves + more.cleaves,
      strokes: sum.strokes + more.strokes,
      litS: sum.litS + more.litS,
    });
  }
  return tools.map((tool) => {
    const more = used.get(tool.id);
    if (!more) return tool;
    return {
      ...tool,
      wear: (tool.wear ?? []).map((w) => {
        const add = Math.round(WORN_BY[w.kind](more));
        return { ...w, done: w.done + add, left: w.left - add };
      }),
    };
  });
}

/** What acts do to a tool of a kind, said of so many ends. */
export function usedBy(kind: S["ToolKind"], acts: S["RunState"][], ends: number, litS: number): Partial<Counts> | null {
  const sum = (of: (s: S["RunState"]) => number) => acts.reduce((n, s) => n + of(s), 0) * ends;
  const [arcs, cleaves] = [sum((s) => s.arcs), sum((s) => s.cleaves)];
  if (kind === "splicer" && arcs > 0) return { arcs };
  if (kind === "cleaver" && cleaves > 0) return { cleaves };
  if (kind === "red-light-source" && litS > 0 && acts.some((s) => s.lit)) return { litS };
  return null;
}

/** What a whole batch will do, by the procedure: to see beforehand whether what is left of a tool is enough. */
export function neededBy(table: S["RunTable"], ends: number, kind: S["WearKind"]): number {
  const each =
    kind === "cleaves-of-position"
      ? table.states.reduce((n, s) => n + s.cleaves, 0)
      : kind === "arcs-of-charge" || kind === "arcs-of-electrodes"
        ? table.states.reduce((n, s) => n + s.arcs, 0)
        : 0;
  return each * ends;
}
