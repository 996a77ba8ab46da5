import { useTranslation } from "react-i18next";
import type { S } from "../../../api/client";
import { traceKeeps } from "../../../engine/loss";
import { dB } from "../../../ui/settings";
import type { Trace } from "../useTrace";

/** What the trace says of one connector, and its recording. */
export function TraceSide(props: {
  end: S["EndView"];
  attempt?: S["AttemptState"];
  trace: Trace;
  view: S["TraceView"];
}) {
  const { end, attempt, trace, view: v } = props;
  const { t } = useTranslation();
  const { farSide, target, tied, picked, both } = trace;
  const limits = end.traceLimits;
  const seen = picked && (both?.mean ?? picked);
  const keeps = limits && seen && !farSide ? traceKeeps(seen.lossDb, seen.reflectanceDb, limits) : undefined;
  return (
    <aside className="hand">
      <h2>{t(farSide ? "trace.farEnd" : "trace.thisEnd")}</h2>
      <p className="faint">
        {target?.address}
        {tied?.offM != null && ` · ${t("trace.off", { at: tied.plannedM.toFixed(0), off: tied.offM.toFixed(1) })}`}
      </p>
      {picked && picked.kind !== "end" ? (
        <dl className="facts">
          <dt>{t("trace.kind")}</dt>
          <dd>{t(`traceKind.${picked.kind}`)}</dd>
          <dt>{t("trace.loss")}</dt>
          <dd>
            <b>{dB((both?.mean ?? picked).lossDb, 2)} dB</b>{" "}
            <span className="faint">
              ± {dB(Math.max(0.001, (both?.mean ?? picked).lossSigmaDb ?? 0), 3)}{" "}
              {t(both ? "trace.bothWays" : "trace.oneWay")}
            </span>
            {keeps && limits && (
              <div className={keeps.loss ? "tone-good" : "tone-bad"}>
                {t(keeps.loss ? "trace.keepsLoss" : "trace.overLoss", { limit: dB(limits.lossDb, 2) })}
              </div>
            )}
          </dd>
          <dt>{t("trace.reflectance")}</dt>
          <dd>
            {picked.reflectanceDb == null ? t("trace.dark") : `${dB(picked.reflectanceDb, 1)} dB`}
            {keeps && limits && !keeps.reflectance && (
              <div className="tone-bad">{t("trace.overReflectance", { limit: dB(limits.reflectanceDb, 0) })}</div>
            )}
          </dd>
        </dl>
      ) : (
        <p>{t("trace.pick")}</p>
      )}
      <dl className="facts">
        <dt>{t("trace.length")}</dt>
        <dd>
          {v.answer.lengthM.toFixed(1)} m <span className="faint">{t("trace.planned", { m: end.lengthM })}</span>
        </dd>
        <dt>{t("trace.total")}</dt>
        <dd>{dB(v.answer.lossDb, 2)} dB</dd>
        <dt>{t("trace.perKm")}</dt>
        <dd>{dB(v.answer.dbPerKm, 3)} dB/km</dd>
        <dt>{t("trace.how")}</dt>
        <dd>
          {v.answer.parameters.wavelengthNm} nm · {v.answer.parameters.pulseNs} ns
        </dd>
      </dl>
      {attempt?.traces.map((s) => (
        <p key={s.eventId} className={s.verdict.pass ? "tone-good" : "tone-bad"}>
          {t(s.verdict.pass ? "trace.pass" : "trace.fail", {
            nm: s.reading.wavelengthNm,
            loss: dB(s.reading.lossDb, 2),
            limit: dB(s.verdict.lossLimitDb, 2),
          })}
          <br />
          <span className="faint">{s.verdict.edition}</span>
        </p>
      ))}
      <div className="answers">
        <button type="button" className="main" onClick={trace.save} disabled={!trace.canSave}>
          {t("trace.save")}
        </button>
      </div>
    </aside>
  );
}
