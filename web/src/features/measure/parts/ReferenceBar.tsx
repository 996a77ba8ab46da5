import { Alert, Input, Select } from "antd";
import { useTranslation } from "react-i18next";
import type { S } from "../../../api/client";
import { useInstruments, useKnown } from "../../../api/hooks";
import type { Reference } from "../../../domain/reference";
import { useChoices } from "../../../ui/Parts";
import { dayText, dB, today } from "../../../ui/settings";
import type { Direction } from "../useMeter";

/** What readings stand on: how the meter was zeroed, which one it is, from which side, with which cords. */
export function ReferenceBar(props: {
  reference: Reference;
  onChange: (r: Reference) => void;
  direction: Direction;
  onTurn: (d: Direction) => void;
}) {
  const { reference, onChange } = props;
  const { t } = useTranslation();
  const options = useChoices();
  const usualDb = useKnown().data?.usualRepeatabilityDb ?? 0;
  const meters = (useInstruments().data ?? []).filter((m) => m.kind === "power-meter" || m.kind === "other");
  const due = meters.find((m) => m.id === reference.instrumentId)?.calibrations.at(-1)?.dueOn;
  return (
    <section className="card row">
      <div>
        <div className="faint">{t("measure.referenceMethod")}</div>
        <Select
          aria-label={t("measure.referenceMethod")}
          className="w-m"
          value={reference.method}
          options={options("measure", ["one-cord", "two-cord", "three-cord"])}
          onChange={(method) => onChange({ ...reference, method: method as S["ReferenceMethod"] })}
        />
      </div>
      <div>
        <div className="faint">{t("measure.meter")}</div>
        <Select
          aria-label={t("measure.meter")}
          allowClear
          className="w-l"
          placeholder={t("measure.anyMeter", { db: dB(usualDb) })}
          value={meters.some((m) => m.id === reference.instrumentId) ? reference.instrumentId : undefined}
          options={meters.map((m) => ({
            value: m.id,
            label: `${[m.name, m.number].filter(Boolean).join(" ")} · ±${dB(m.repeatabilityDb ?? usualDb)} dB`,
          }))}
          onChange={(id) => onChange({ ...reference, instrumentId: id ?? null })}
        />
      </div>
      <div>
        <div className="faint">{t("measure.direction")}</div>
        <Select
          aria-label={t("measure.direction")}
          className="w-s"
          value={props.direction}
          options={options("measure", ["a-to-b", "b-to-a"])}
          onChange={props.onTurn}
        />
      </div>
      <label>
        <div className="faint">{t("measure.cords")}</div>
        <Input
          className="w-s"
          maxLength={60}
          value={reference.cords ?? ""}
          onChange={(e) => onChange({ ...reference, cords: e.target.value })}
        />
      </label>
      {due && due < today() && (
        <Alert type="warning" showIcon title={t("measure.meterOverdue", { day: dayText(due) })} />
      )}
    </section>
  );
}
