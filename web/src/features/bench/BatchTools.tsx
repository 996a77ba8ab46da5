import { Select } from "antd";
import { useTranslation } from "react-i18next";
import { useTools } from "../../api/hooks";

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
