import { useQuery } from "@tanstack/react-query";
import { App, InputNumber, Select } from "antd";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import { get, query, type S, upload } from "../../api/client";
import { useLedger } from "../../offline/useLedger";
import { FilePick } from "../../ui/FilePick";
import { Await, Grid, useFault } from "../../ui/Parts";
import { dB } from "../../ui/settings";
import { TraceChart } from "./TraceChart";

type Cords = { launchM: number; receiveM: number };

/** A trace taken from this end: its events, the line between two cursors, and this end's connector on it. */
export function TraceLook({ end, attempt }: { end: S["EndView"]; attempt?: S["AttemptState"] }) {
  const { t } = useTranslation();
  const { message } = App.useApp();
  const fault = useFault();
  const tell = useLedger();
  const [cords, setCords] = useState<Cords>({ launchM: 150, receiveM: 0 });
  const [traceId, setTraceId] = useState<string>();
  const [busy, setBusy] = useState(false);
  const [cursors, setCursors] = useState<[number, number] | null>(null);
  const [chosen, setChosen] = useState<number | null>(null);
  const kept = useQuery({
    queryKey: ["evidence", end.endId],
    queryFn: () => get<S["EvidenceLine"][]>(`/api/ends/${end.endId}/evidence`),
  });
  const traces = (kept.data ?? []).filter((e) => e.kind === "trace");
  const id = traceId ?? traces[0]?.evidenceId;
  const view = useQuery({
    queryKey: ["trace", id, cords],
    queryFn: () => get<S["TraceView"]>(`/api/traces/${id}${query(cords)}`),
    enabled: !!id,
  });
  const origin = view.data?.answer.originM ?? 0;
  const at = cursors ?? (view.data ? opening(view.data) : [0, 0]);
  const section = useQuery({
    queryKey: ["section", id, at, origin],
    queryFn: () =>
      get<S["TraceSection"]>(`/api/traces/${id}/section${query({ fromM: at[0] + origin, toM: at[1] + origin })}`),
    enabled: !!view.data && Math.abs(at[1] - at[0]) > 0,
    retry: false,
  });
  const read = async (file: Blob) => {
    setBusy(true);
    try {
      const next = await upload<S["TraceView"]>(`/api/ends/${end.endId}/traces${query(cords)}`, file);
      setTraceId(next.traceId);
      setCursors(null);
      setChosen(null);
      await kept.refetch();
    } catch (e) {
      fault(e);
    } finally {
      setBusy(false);
    }
  };
  const events = view.data?.answer.events ?? [];
  const picked = events[chosen ?? own(events)];
  const save = async () => {
    if (!attempt || !picked || !view.data) return;
    const done = await tell({
      endId: end.endId,
      attempt: attempt.no,
      kind: "traced",
      body: {
        runId: attempt.runId,
        traceId: view.data.traceId,
        wavelengthNm: view.data.answer.parameters.wavelengthNm,
        distanceM: picked.distanceM,
        lossDb: picked.lossDb,
        reflectanceDb: picked.reflectanceDb,
        lengthM: view.data.answer.lengthM,
        mode: end.mode,
        polish: end.polish,
        limitSetId: end.limitSetId,
        note: null,
      },
    });
    if (done.ok) message.success(t("trace.saved"));
  };
  const place = (e: S["TraceEvent"], i: number) =>
    i === own(events) ? end.address : e.kind !== "end" && i === far(events) && end.farAddress ? end.farAddress : "";
  return (
    <>
      <section className="card row">
        <FilePick label={t("trace.take")} accept={".sor,.SOR"} first={!id} busy={busy} onFile={read} />
        {(["launchM", "receiveM"] as const).map((k) => (
          <label key={k}>
            <div className="faint">{t(`trace.${k}`)}</div>
            <InputNumber min={0} max={50000} value={cords[k]} onChange={(v) => setCords({ ...cords, [k]: v ?? 0 })} />
          </label>
        ))}
        {traces.length > 1 && (
          <Select
            aria-label={t("trace.kept")}
            style={{ width: 240 }}
            value={id}
            onChange={setTraceId}
            options={traces.map((e) => ({
              value: e.evidenceId,
              label: `${new Date(e.madeAt).toLocaleString()} · ${e.madeBy}`,
            }))}
          />
        )}
      </section>
      {!id && <p className="faint">{t("trace.none")}</p>}
      {id && (
        <Await of={view}>
          {(v) => (
            <div className="bench">
              <section className="card">
                <TraceChart
                  key={`${id}${origin}`}
                  view={v}
                  cursors={at as [number, number]}
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
                  {section.error && <span className="tone-doubtful">{(section.error as Error).message}</span>}
                </div>
                <Grid
                  rowKey={(r) => `${r.i}`}
                  rows={v.answer.events.map((e, i) => ({ e, i }))}
                  columns={[
                    {
                      title: t("trace.no"),
                      render: ({ i }) => (
                        <button
                          type="button"
                          className="plain"
                          aria-pressed={chosen === i}
                          onClick={() => setChosen(i)}
                        >
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
                    {
                      title: t("trace.reflectance"),
                      right: true,
                      render: ({ e }) =>
                        e.reflectanceDb == null ? "" : `${e.saturated ? "≥ " : ""}${dB(e.reflectanceDb, 1)}`,
                    },
                    { title: t("trace.where"), render: ({ e, i }) => place(e, i) },
                  ]}
                />
              </section>
              <aside className="hand">
                <h2>{t("trace.thisEnd")}</h2>
                <p className="faint">{end.address}</p>
                {picked && picked.kind !== "end" ? (
                  <dl className="facts">
                    <dt>{t("trace.kind")}</dt>
                    <dd>{t(`traceKind.${picked.kind}`)}</dd>
                    <dt>{t("trace.loss")}</dt>
                    <dd>
                      <b>{dB(picked.lossDb, 2)} dB</b> <span className="faint">± {dB(picked.lossSigmaDb ?? 0, 3)}</span>
                    </dd>
                    <dt>{t("trace.reflectance")}</dt>
                    <dd>{picked.reflectanceDb == null ? t("trace.dark") : `${dB(picked.reflectanceDb, 1)} dB`}</dd>
                  </dl>
                ) : (
                  <p>{t("trace.pick")}</p>
                )}
                <dl className="facts">
                  <dt>{t("trace.length")}</dt>
                  <dd>
                    {v.answer.lengthM.toFixed(1)} m{" "}
                    <span className="faint">{t("trace.planned", { m: end.lengthM })}</span>
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
                  <button
                    type="button"
                    className="main"
                    onClick={save}
                    disabled={!attempt || !picked || picked.kind === "end" || picked.kind === "ghost"}
                  >
                    {t("trace.save")}
                  </button>
                </div>
              </aside>
            </div>
          )}
        </Await>
      )}
    </>
  );
}

/** The first connector of the link is this end's. */
const own = (events: S["TraceEvent"][]) =>
  Math.max(
    0,
    events.findIndex((e) => e.kind === "connector" || e.kind === "splice"),
  );
const far = (events: S["TraceEvent"][]) => events.findLastIndex((e) => e.kind === "connector");

function opening(view: S["TraceView"]): [number, number] {
  const events = view.answer.events.filter((e) => e.kind !== "ghost");
  const [a, b] = [events[0]?.distanceM ?? 0, events.at(-1)?.distanceM ?? view.stepM * 100];
  return [a + (b - a) * 0.25, a + (b - a) * 0.75];
}
