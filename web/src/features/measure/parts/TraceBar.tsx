import { Button, InputNumber, Select } from "antd";
import { useTranslation } from "react-i18next";
import { FilePick } from "../../../ui/FilePick";
import { reasonOf } from "../../../ui/reason";
import { siteTime } from "../../../ui/settings";
import type { Trace } from "../useTrace";

/** Which trace, with which cords before and after it, and what it is compared with. */
export function TraceBar({ trace }: { trace: Trace }) {
  const { t } = useTranslation();
  const { id, cords, traces, others, otherId, via, onward } = trace;
  const noPair = reasonOf(trace.pair.error);
  return (
    <section className="card row">
      <FilePick label={t("trace.take")} accept={".sor,.SOR"} first={!id} busy={trace.busy} onFile={trace.read} />
      {(["launchM", "receiveM"] as const).map((k) => (
        <label key={k}>
          <div className="faint">{t(`trace.${k}`)}</div>
          <InputNumber
            min={0}
            max={50000}
            value={cords[k]}
            onChange={(v) => {
              if (k === "launchM") trace.sayLaunch(v);
              else trace.sayReceive(v ?? 0);
            }}
          />
        </label>
      ))}
      {traces.length > 1 && (
        <Select
          aria-label={t("trace.kept")}
          className="w-l"
          value={id}
          onChange={trace.choose}
          options={traces.map((e) => ({
            value: e.evidenceId,
            label: `${siteTime(e.madeAt)} · ${e.madeBy}`,
          }))}
        />
      )}
      {id && others.length > 0 && (
        <label>
          <div className="faint">{t("trace.other")}</div>
          <Select
            aria-label={t("trace.other")}
            allowClear
            className="w-l"
            placeholder={t("trace.oneWay")}
            value={otherId}
            onChange={trace.setOther}
            options={others.map((e) => ({
              value: e.evidenceId,
              label: `${siteTime(e.madeAt)} · ${e.madeBy}`,
            }))}
          />
        </label>
      )}
      {id && (
        <label>
          <div className="faint">{t("trace.via")}</div>
          <Select
            aria-label={t("trace.via")}
            mode="multiple"
            allowClear
            className="w-m"
            placeholder={t("trace.viaNone")}
            optionFilterProp="label"
            value={via}
            onChange={trace.setVia}
            options={onward.map((e) => ({ value: e.endId, label: e.address }))}
          />
        </label>
      )}
      {noPair && <span className="tone-bad">{noPair}</span>}
    </section>
  );
}

/** Asked where nobody said it, and where the trace says otherwise. */
export function AskLaunch({ trace }: { trace: Trace }) {
  const { t } = useTranslation();
  const { cords } = trace;
  return (
    <section className="card row" role="alert">
      <p className="tone-doubtful grow">
        <b>{cords.launchM ? t("trace.launchUnseen", { m: cords.launchM }) : t("trace.launchAsk")}</b>{" "}
        {t("trace.launchWhy")}
      </p>
      <Button onClick={() => trace.sayLaunch(0)}>{t("trace.launchNone")}</Button>
    </section>
  );
}
