import { useQuery } from "@tanstack/react-query";
import { App, Button, InputNumber, Select } from "antd";
import { useEffect, useState } from "react";
import { useTranslation } from "react-i18next";
import { get, query, type S } from "../../api/client";
import { useEnd, useEnds } from "../../api/hooks";
import { useUpload } from "../../domain/useUpload";
import { isOpen } from "../../engine/project";
import { useLedger } from "../../offline/useLedger";
import { FilePick } from "../../ui/FilePick";
import { Await, Grid } from "../../ui/Parts";
import { dB } from "../../ui/settings";
import { TraceChart } from "./TraceChart";

/** `launchM` is null until somebody says it: 0 where there was no launch cord. */
type Cords = { launchM: number | null; receiveM: number };

const LAUNCH = "rhabdon.launchM";

function keptLaunch(): number | null {
  const kept = localStorage.getItem(LAUNCH);
  return kept === null || kept === "" ? null : Number(kept);
}

/** A trace taken from this end: its events, the line between two cursors, and this end's connector on it. */
export function TraceLook({ end, attempt }: { end: S["EndView"]; attempt?: S["AttemptState"] }) {
  const { t } = useTranslation();
  const { message } = App.useApp();
  const send = useUpload(end.endId);
  const tell = useLedger();
  const [cords, setCords] = useState<Cords>(() => ({ launchM: keptLaunch(), receiveM: 0 }));
  const [touched, setTouched] = useState(false);
  const [traceId, setTraceId] = useState<string>();
  const [busy, setBusy] = useState(false);
  const [cursors, setCursors] = useState<[number, number] | null>(null);
  const [chosen, setChosen] = useState<number | null>(null);
  const [via, setVia] = useState<string[]>([]);
  const [otherId, setOther] = useState<string>();
  const farEnd = useEnd(end.farEndId ?? undefined);
  const onward = useEnds({ jobId: end.jobId, placeId: farEnd.data?.placeId, limit: 200 }, !!farEnd.data);
  const kept = useQuery({
    queryKey: ["evidence", end.endId],
    queryFn: () => get<S["EvidenceLine"][]>(`/api/ends/${end.endId}/evidence`),
  });
  const traces = (kept.data ?? []).filter((e) => e.kind === "trace");
  const id = traceId ?? traces[0]?.evidenceId;
  const far = useQuery({
    queryKey: ["evidence", end.farEndId],
    queryFn: () => get<S["EvidenceLine"][]>(`/api/ends/${end.farEndId}/evidence`),
    enabled: !!end.farEndId,
    retry: false,
  });
  const others = (far.data ?? []).filter((e) => e.kind === "trace");
  const view = useQuery({
    queryKey: ["trace", id, cords, via],
    queryFn: () => get<S["TraceView"]>(`/api/traces/${id}${query(cords)}${via.map((v) => `&via=${v}`).join("")}`),
    enabled: !!id,
  });
  // A planned far connector that lies before the trace's end: what comes after it is the receive cord.
  const seen = view.data?.receiveSeenM;
  useEffect(() => {
    if (!touched && seen && cords.receiveM === 0) setCords((c) => ({ ...c, receiveM: seen }));
  }, [touched, seen, cords.receiveM]);
  const pair = useQuery({
    queryKey: ["trace-pair", id, otherId, cords],
    queryFn: () => get<S["PairedEvent"][]>(`/api/traces/${id}/pair${query({ otherId, ...cords })}`),
    enabled: !!id && !!otherId,
    retry: false,
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
  const sayLaunch = (launchM: number | null) => {
    if (launchM === null) localStorage.removeItem(LAUNCH);
    else localStorage.setItem(LAUNCH, String(launchM));
    setCursors(null);
    setChosen(null);
    setCords((c) => ({ ...c, launchM }));
  };
  // Asked where nobody said it, and where the trace says otherwise: lengths below nothing are never shown.
  const askLaunch = !!view.data && (cords.launchM === null || view.data.answer.launchSeen === false);
  const read = async (file: Blob) => {
    setBusy(true);
    const next = await send<S["TraceView"]>("traces", cords, file);
    setBusy(false);
    if (!next) return;
    setTraceId(next.traceId);
    setCursors(null);
    setChosen(null);
    await kept.refetch();
  };
  const events = view.data?.answer.events ?? [];
  const ties = view.data?.ties ?? [];
  const mine = ties.find((x) => x.endId === end.endId)?.event ?? null;
  const at0 = chosen ?? mine;
  const picked = at0 === null ? undefined : events[at0];
  // What is recorded is the connector that lies at the event: this one, or the one at the far end.
  const tied = ties.find((x) => x.event === at0);
  const farSide = !!tied && tied.endId === end.farEndId;
  const target = farSide ? farEnd.data : end;
  const run = farSide ? farEnd.data?.state.attempts.filter(isOpen).at(-1) : attempt;
  const fits =
    !!run && run.position.outcome === "finished" && run.acceptedAt === null && (!tied || tied.endId === target?.endId);
  const both = picked && pair.data?.find((p) => p.mean.distanceM === picked.distanceM);
  const save = async () => {
    if (!run || !target || !picked || !view.data) return;
    const done = await tell({
      endId: target.endId,
      attempt: run.no,
      kind: "traced",
      body: {
        runId: run.runId,
        traceId: view.data.traceId,
        wavelengthNm: view.data.answer.parameters.wavelengthNm,
        distanceM: picked.distanceM,
        lossDb: both ? both.mean.lossDb : picked.lossDb,
        reflectanceDb: both ? both.mean.reflectanceDb : picked.reflectanceDb,
        otherTraceId: both ? otherId : null,
        lengthM: view.data.answer.lengthM,
        note: null,
      },
    });
    if (done.ok) message.success(t("trace.saved"));
  };
  const place = (i: number) =>
    ties
      .filter((x) => x.event === i)
      .map((x) => x.address)
      .join(", ");
  const unseen = ties.filter((x) => x.event === null);
  return (
    <>
      <section className="card row">
        <FilePick label={t("trace.take")} accept={".sor,.SOR"} first={!id} busy={busy} onFile={read} />
        {(["launchM", "receiveM"] as const).map((k) => (
          <label key={k}>
            <div className="faint">{t(`trace.${k}`)}</div>
            <InputNumber
              min={0}
              max={50000}
              value={cords[k]}
              onChange={(v) => {
                if (k === "launchM") return sayLaunch(v);
                setTouched(true);
                setCords({ ...cords, receiveM: v ?? 0 });
              }}
            />
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
        {id && others.length > 0 && (
          <label>
            <div className="faint">{t("trace.other")}</div>
            <Select
              aria-label={t("trace.other")}
              allowClear
              style={{ width: 220 }}
              placeholder={t("trace.oneWay")}
              value={otherId}
              onChange={setOther}
              options={others.map((e) => ({
                value: e.evidenceId,
                label: `${new Date(e.madeAt).toLocaleString()} · ${e.madeBy}`,
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
              style={{ minWidth: 180 }}
              placeholder={t("trace.viaNone")}
              optionFilterProp="label"
              value={via}
              onChange={setVia}
              options={(onward.data ?? [])
                .filter((e) => e.endId !== end.endId && e.endId !== end.farEndId)
                .map((e) => ({ value: e.endId, label: e.address }))}
            />
          </label>
        )}
        {pair.error && <span className="tone-bad">{(pair.error as Error).message}</span>}
      </section>
      {askLaunch && (
        <section className="card row" role="alert">
          <p className="tone-doubtful grow">
            <b>{cords.launchM ? t("trace.launchUnseen", { m: cords.launchM }) : t("trace.launchAsk")}</b>{" "}
            {t("trace.launchWhy")}
          </p>
          <Button onClick={() => sayLaunch(0)}>{t("trace.launchNone")}</Button>
        </section>
      )}
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
                    ...(pair.data
                      ? [
                          {
                            title: t("trace.mean"),
                            right: true,
                            render: ({ e }: { e: S["TraceEvent"] }) => {
                              const two = pair.data.find((p) => p.mean.distanceM === e.distanceM);
                              return two ? (
                                <>
                                  <span className="faint">
                                    {two.backwardDb == null ? "–" : dB(two.backwardDb, 3)} →{" "}
                                  </span>
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
                      render: ({ e }) =>
                        e.reflectanceDb == null ? "" : `${e.saturated ? "≥ " : ""}${dB(e.reflectanceDb, 1)}`,
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
              <aside className="hand">
                <h2>{t(farSide ? "trace.farEnd" : "trace.thisEnd")}</h2>
                <p className="faint">
                  {target?.address}
                  {tied?.offM != null &&
                    ` · ${t("trace.off", { at: tied.plannedM.toFixed(0), off: tied.offM.toFixed(1) })}`}
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
                    disabled={askLaunch || !fits || !picked || picked.kind === "end" || picked.kind === "ghost"}
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

function opening(view: S["TraceView"]): [number, number] {
  const events = view.answer.events.filter((e) => e.kind !== "ghost");
  const [a, b] = [events[0]?.distanceM ?? 0, events.at(-1)?.distanceM ?? view.stepM * 100];
  return [a + (b - a) * 0.25, a + (b - a) * 0.75];
}
