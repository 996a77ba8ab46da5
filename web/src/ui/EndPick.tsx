import { Select } from "antd";
import { useTranslation } from "react-i18next";
import type { S } from "../api/client";
import { useEnds } from "../api/hooks";

export const addressOf = (e: S["EndRow"]) =>
  `${e.spaceCode}-${e.panelCode}:${e.port}${e.form === "MPO" ? `.${e.position}` : ""}`;

/** Chooses among the ends that wait for this kind of work; the one that is open stays in the list. */
export function EndPick(props: {
  status: S["EndStatus"][];
  label: string;
  value?: string;
  onChange: (endId: string) => void;
}) {
  const { t } = useTranslation();
  const [a, b, c] = props.status;
  const lists = [
    useEnds({ status: a, limit: 500 }),
    useEnds({ status: b, limit: 500 }, !!b),
    useEnds({ status: c, limit: 500 }, !!c),
  ];
  const ends = lists.flatMap((l) => l.data ?? []);
  const options = ends.map((e) => ({
    value: e.endId,
    label: `${addressOf(e)} · ${e.cableCode} ${e.strand} · ${t(`status.${e.status}`)}`,
  }));
  return (
    <div>
      <div className="faint">{props.label}</div>
      <Select
        aria-label={props.label}
        style={{ width: 420, maxWidth: "100%" }}
        placeholder={props.label}
        showSearch={{ optionFilterProp: "label" }}
        value={options.some((o) => o.value === props.value) ? props.value : undefined}
        options={options}
        onChange={props.onChange}
      />
    </div>
  );
}
