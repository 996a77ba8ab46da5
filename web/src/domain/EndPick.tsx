import { useQueries } from "@tanstack/react-query";
import { Select } from "antd";
import { useTranslation } from "react-i18next";
import type { S } from "../api/client";
import { endsQuery, useEnd } from "../api/hooks";

/** Chooses among the ends that wait for this kind of work; the one that is open stays in the list. */
export function EndPick(props: {
  status: S["EndStatus"][];
  label: string;
  value?: string;
  onChange: (endId: string) => void;
}) {
  const { t } = useTranslation();
  const lists = useQueries({ queries: props.status.map((status) => endsQuery({ status, limit: 500 })) });
  const open = useEnd(props.value);
  const options = lists
    .flatMap((l) => l.data ?? [])
    .map((e) => ({
      value: e.endId,
      label: `${e.address} · ${e.cableCode} ${e.strand} · ${t(`status.${e.status}`)}`,
    }));
  if (open.data && !options.some((o) => o.value === open.data.endId)) {
    const { endId, address, cableCode, strand, state } = open.data;
    options.unshift({
      value: endId,
      label: `${address} · ${cableCode} ${strand.number} · ${t(`status.${state.status}`)}`,
    });
  }
  return (
    <div>
      <div className="faint">{props.label}</div>
      <Select
        aria-label={props.label}
        className="w-xxl"
        placeholder={t("app.choose")}
        showSearch={{ optionFilterProp: "label" }}
        value={options.some((o) => o.value === props.value) ? props.value : undefined}
        options={options}
        onChange={props.onChange}
      />
    </div>
  );
}
