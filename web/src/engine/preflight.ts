import type { S } from "./types";

/** The day that it is at the site, as 2026-11-30. */
export const siteDate = (now: number, timeZone: string) =>
  new Intl.DateTimeFormat("en-CA", { timeZone, year: "numeric", month: "2-digit", day: "2-digit" }).format(now);

/** True when an item of the pre-flight is so at this moment; as Core's Preflights.Satisfied, vectors keep them alike. */
export function satisfied(
  item: S["PreflightItem"],
  answer: S["PreflightAnswer"] | null | undefined,
  now: number,
  timeZone: string,
): boolean {
  if (!answer) return false;
  const asks = (a: S["PreflightAsk"]) => item.asks?.includes(a) ?? false;
  const said = Date.parse(answer.at);
  return (
    (!asks("lot") || !!answer.lot?.trim()) &&
    (!asks("use-by") || (!!answer.useBy && (answer.useBy >= siteDate(now, timeZone) || !!answer.inSpiteOf?.trim()))) &&
    (!asks("number") || (typeof answer.number === "number" && (item.min == null || answer.number >= item.min))) &&
    (item.warmUpS == null || now >= said + item.warmUpS * 1000) &&
    (item.lastsS == null || now < said + item.lastsS * 1000)
  );
}

/** The steps that wait for something of the pre-flight. */
export function blockedSteps(
  table: S["RunTable"],
  answers: S["PreflightAnswer"][],
  now: number,
  timeZone: string,
): Map<string, S["PreflightItem"][]> {
  const blocked = new Map<string, S["PreflightItem"][]>();
  for (const item of table.preflight) {
    if (
      satisfied(
        item,
        answers.findLast((a) => a.itemId === item.id),
        now,
        timeZone,
      )
    )
      continue;
    for (const step of item.guards) blocked.set(step, [...(blocked.get(step) ?? []), item]);
  }
  return blocked;
}
