import { InputNumber } from "antd";
import { useTranslation } from "react-i18next";
import type { S } from "../../api/client";
import type { SpliceSaid } from "./useBatch";

export type SpliceTyped = { lossDb: number | null; leftAngleDeg: number | null; rightAngleDeg: number | null };
export const NO_SPLICE: SpliceTyped = { lossDb: null, leftAngleDeg: null, rightAngleDeg: null };

/** What goes with the answer: a splice without its loss says nothing. */
export const spliceSaid = (s: SpliceTyped): SpliceSaid | null =>
  s.lossDb === null ? null : { ...s, lossDb: s.lossDb };

/** The figures of the splicer's screen beside the limits of the procedure. They are kept with the answer; the answer stays the person's. */
export function SpliceRead(props: {
  limits: S["SpliceLimits"];
  value: SpliceTyped;
  onChange: (v: SpliceTyped) => void;
}) {
  const { t } = useTranslation();
  const { limits, value, onChange } = props;
  const fields = [
    ["lossDb", "dB", limits.mostLossDb, 0.01],
    ["leftAngleDeg", "°", limits.mostAngleDeg, 0.1],
    ["rightAngleDeg", "°", limits.mostAngleDeg, 0.1],
  ] as const;
  return (
    <div className="row">
      {fields.map(([name, unit, most, step]) => {
        const typed = value[name];
        const over = typed !== null && typed >= most;
        return (
          <label key={name} className="small">
            {t(`bench.splice.${name}`)} ({unit})
            <InputNumber
              aria-label={t(`bench.splice.${name}`)}
              className="w-xs"
              min={name === "lossDb" ? -2 : 0}
              max={name === "lossDb" ? 20 : 45}
              step={step}
              value={typed}
              status={over ? "warning" : undefined}
              onChange={(v) => onChange({ ...value, [name]: v })}
            />
            <span className={over ? "tone-doubtful" : "faint"}>{t("bench.splice.under", { most, unit })}</span>
          </label>
        );
      })}
    </div>
  );
}
