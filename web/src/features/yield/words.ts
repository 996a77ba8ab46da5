import type { S } from "../../api/client";

export const percent = (share: number, digits = 0) => `${(share * 100).toFixed(digits)} %`;

const CLOSED: Partial<Record<S["YieldBy"], string>> = {
  method: "method",
  construction: "construction",
  form: "form",
  mode: "mode",
};

/** What a group is called: an id by its name, a word of a closed list in the reader's language, a number as it is printed. */
export function nameOfGroup(
  t: (key: string, args?: Record<string, unknown>) => string,
  by: S["YieldBy"],
  key: string,
  name?: string | null,
) {
  const closed = CLOSED[by];
  if (closed) return t(`${closed}.${key}`);
  return name || key || t("yield.noneOf");
}
