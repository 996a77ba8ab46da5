import type { S } from "../../api/client";

export const DAY = 1440;

/** A bar of the drawing: one stretch of one task in one row. */
export type Bar = {
  task: S["WeekTask"];
  label: S["WeekLabel"];
  no: number;
  row: string;
  from: number;
  to: number;
  attended: boolean;
};

/** Tools that a stretch needs at the same time. */
const needs = (s?: S["WeekStretch"]) => [...(s?.tool ? [s.tool] : []), ...(s?.also ?? [])];

export type By = "person" | "tool";

/** Bars by whose or by which tool they are; a task that is dragged lies where it is held. */
export function barsOf(work: S["WeekWork"], tasks: S["PlannedTask"][], by: By): Bar[] {
  const of = new Map(work.problem.tasks.map((t) => [t.id, t]));
  const labels = new Map(work.labels.map((l) => [l.id, l]));
  return tasks.flatMap((p) => {
    const [task, label] = [of.get(p.id), labels.get(p.id)];
    if (!task || !label) return [];
    return p.stretches.flatMap((s, no) => {
      const stretch = task.stretches[no];
      if (!stretch) return [];
      const rows = by === "person" ? p.people : needs(stretch);
      return rows.map((row) => ({ task, label, no, row, from: s.from, to: s.to, attended: stretch.attended }));
    });
  });
}

/** The task where somebody drags it: as long as it is, from there on, its own waits left as they are. */
export function moved(p: S["PlannedTask"], start: number, person?: string): S["PlannedTask"] {
  const by = start - (p.stretches[0]?.from ?? 0);
  return {
    ...p,
    people: person ? [person] : p.people,
    stretches: p.stretches.map((s) => ({ from: s.from + by, to: s.to + by })),
  };
}

export type Clash = "hands" | "hours" | "tool" | "early" | "late";

/** What stands against a task where it lies, as far as one sees without the solver. */
export function clashesOf(work: S["WeekWork"], tasks: S["PlannedTask"][], id: string): Clash[] {
  const of = new Map(work.problem.tasks.map((t) => [t.id, t]));
  const [me, mine] = [tasks.find((t) => t.id === id), of.get(id)];
  if (!me || !mine) return [];
  const found = new Set<Clash>();
  me.stretches.forEach((s, no) => {
    const stretch = mine.stretches[no];
    if (!stretch) return;
    for (const person of stretch.attended ? me.people : []) {
      const hours = work.problem.people.find((p) => p.id === person)?.hours ?? [];
      if (!hours.some((h) => h.from <= s.from && s.to <= h.to)) found.add("hours");
      for (const other of tasks)
        if (other.id !== id && other.people.includes(person))
          other.stretches.forEach((o, n) => {
            if (of.get(other.id)?.stretches[n]?.attended && o.from < s.to && s.from < o.to) found.add("hands");
          });
    }
    for (const tool of needs(stretch)) {
      const count = work.problem.tools.find((x) => x.kind === tool)?.count ?? 0;
      const beside = tasks.flatMap((o) =>
        o.id === id
          ? []
          : o.stretches.filter(
              (x, n) => needs(of.get(o.id)?.stretches[n]).includes(tool) && x.from < s.to && s.from < x.to,
            ),
      );
      // Two that follow one another need but one: it counts how many are out at the same time.
      const most = Math.max(
        ...[s, ...beside].map(
          ({ from }) => beside.filter((x) => x.from <= Math.max(from, s.from) && Math.max(from, s.from) < x.to).length,
        ),
      );
      if (most >= count) found.add("tool");
    }
  });
  if ((me.stretches[0]?.from ?? 0) < (mine.from ?? 0)) found.add("early");
  for (const before of mine.after ?? [])
    if ((tasks.find((t) => t.id === before)?.stretches.at(-1)?.to ?? 0) > (me.stretches[0]?.from ?? 0))
      found.add("early");
  if (mine.due !== null && mine.due !== undefined && (me.stretches.at(-1)?.to ?? 0) > mine.due) found.add("late");
  return [...found];
}

/** yyyy-mm-dd so many days after a Monday. */
export const dayAfter = (monday: string, days: number) =>
  new Date(Date.parse(`${monday}T00:00Z`) + days * 86_400_000).toISOString().slice(0, 10);
