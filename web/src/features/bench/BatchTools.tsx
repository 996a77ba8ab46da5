import { Select } from "antd";
import { useTranslation } from "react-i18next";
import type { S } from "../../api/client";
import { useTools } from "../../api/hooks";
import { ToolWear } from "../../domain/ToolWear";
import { neededBy } from "../../engine/wear";
import { useCrewTools, useLedger } from "../../offline/useLedger";
import { keptSheet } from "./Counters";

const KEPT = "rhabdon.tools";

/** The tools that this device named last: a crew works with the same ones for days. */
export const keptTools = (): string[] => JSON.parse(localStorage.getItem(KEPT) ?? "[]");

/** Those of them that this crew still has. */
export function useChosenTools(chosen: string[]) {
  const tools = useTools().data ?? [];
  return chosen.filter((id) => tools.some((x) => x.id === id));
}

/** Which of the crew's tools a batch is made with, so that a worn blade or a tired oven can be found by what it made. */
export function BatchTools({ value, onChange }: { value: string[]; onChange: (ids: string[]) => void }) {
  const { t } = useTranslation();
  const tools = useTools().data ?? [];
  if (tools.length === 0) return null;
  return (
    <Select
      className="w-full"
      mode="multiple"
      aria-label={t("bench.withTools")}
      placeholder={t("bench.withTools")}
      optionFilterProp="label"
      value={value}
      options={tools.map((x) => ({ value: x.id, label: [x.name, x.number].filter(Boolean).join(" ") }))}
      onChange={(ids) => {
        localStorage.setItem(KEPT, JSON.stringify(ids));
        onChange(ids);
      }}
    />
  );
}

/** What is left of those tools and of this device's film sheets, beside what the batch will take of them. */
export function BatchWear({ toolIds, table, ends }: { toolIds: string[]; table: S["RunTable"]; ends: number }) {
  const { t } = useTranslation();
  const tell = useLedger();
  const films = table.states.flatMap((s) => (s.count?.film ? [{ film: s.count.film, most: s.count.max }] : []));
  const sheets = new Map(films.map((f) => [keptSheet(f.film)?.id, f.film]));
  const tools = useCrewTools().filter((x) => toolIds.includes(x.id) || sheets.has(x.id));
  const wearing = tools.filter((x) => x.wear?.length);
  if (wearing.length === 0) return null;
  const strokes = (id: string) =>
    films.reduce((n, f) => n + (f.film === sheets.get(id) ? f.most : 0), 0) * Math.max(1, ends);
  return (
    <section aria-label={t("wear.title")}>
      {wearing.map((x) => (
        <div key={x.id}>
          {[x.name, x.number].filter(Boolean).join(" ")}
          <ToolWear
            tool={x}
            needed={(kind) => (kind === "strokes-of-sheet" ? strokes(x.id) : neededBy(table, ends, kind))}
            say={tell}
          />
        </div>
      ))}
    </section>
  );
}
