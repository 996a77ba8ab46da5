import { InputNumber } from "antd";
import { useTranslation } from "react-i18next";
import type { S } from "../../../api/client";
import { Grid } from "../../../ui/Parts";
import { reasonOf } from "../../../ui/reason";
import { dB } from "../../../ui/settings";
import { TraceChart } from "../TraceChart";
import type { Trace } from "../useTrace";

/** The curve with its two cursors, and the events on it. */
export function TraceEvents({ trace, view: v }: { trace: Trace; view: S["TraceView"] }) {
  const { t } = useTranslation();
  const { at, setCursors, chosen, setChosen, section, pair, place, unseen } = trace;
  const noSection = reasonOf(section.error);
  return (
    <section className="card">
      <TraceChart
        key={`${trace.id}${v.answer.originM}`}
        view={v}
        cursors={at}
        chosen={chosen}
        onCursor={(which, m) => setCursors(which === 0 ? [m, at[1]] : [at[0], m])}
      />
      <div className="row">
        {([0, 1] as const).map((i) => (
          <label key={i}>
            <div className="faint">{t("trace.cursor", { name: i === 0 ? "P" : "Q" })}</div>
            <InputNumber
              step={1}
              value={Math.round(at[i] * 10) / 10}
              onChange={(m) => m !== null && setCursors(i === 0 ? [m, at[1]] : [at[0], m])}
            />
          </label>
        ))}
        {section.data && (
          <span>
            {t("trace.section", {
              metres: (section.data.toM - section.data.fromM).toFixed(1),
              loss: dB(section.data.lossDb, 3),
              perKm: dB(section.data.dbPerKm, 3),
            })}
          </span>
        )}
        {noSection && <span className="tone-doubtful">{noSection}</span>}
      </div>
      <Grid
        rowKey={(r) => `${r.i}`}
        rows={v.answer.events.map((e, i) => ({ e, i }))}
        columns={[
          {
            title: t("trace.no"),
            render: ({ i }) => (
              <button type="button" className="plain" aria-pressed={chosen === i} onClick={() => setChosen(i)}>
                {i + 1}
              </button>
            ),
          },
          { title: t("trace.kind"), render: ({ e }) => t(`traceKind.${e.kind}`) },
          { title: t("trace.distance"), right: true, render: ({ e }) => e.distanceM.toFixed(1) },
          {
            title: t("trace.loss"),
            right: true,
            render: ({ e }) => (e.kind === "end" || e.kind === "ghost" ? "" : dB(e.lossDb, 3)),
          },
          ...(pair.data
            ? [
                {
                  title: t("trace.mean"),
                  right: true,
                  render: ({ e }: { e: S["TraceEvent"] }) => {
                    const two = pair.data.find((p) => p.mean.distanceM === e.distanceM);
                    return two ? (
                      <>
                        <span className="faint">{two.backwardDb == null ? "–" : dB(two.backwardDb, 3)} → </span>
                        <b>{dB(two.mean.lossDb, 3)}</b>
                      </>
                    ) : (
                      ""
                    );
                  },
                },
              ]
            : []),
          {
            title: t("trace.reflectance"),
            right: true,
            render: ({ e }) => (e.reflectanceDb == null ? "" : `${e.saturated ? "≥ " : ""}${dB(e.reflectanceDb, 1)}`),
          },
          { title: t("trace.where"), render: ({ i }) => place(i) },
        ]}
      />
      {unseen.length > 0 && (
        <p className="tone-doubtful">
          {t("trace.unseen", {
            ends: unseen.map((x) => `${x.address} (${x.plannedM.toFixed(0)} m)`).join(", "),
          })}
        </p>
      )}
    </section>
  );
}
