import { useQueries, useQuery } from "@tanstack/react-query";
import { App, Button, Input, InputNumber, Segmented, Select, Switch } from "antd";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";
import { post, type S } from "../../api/client";
import { useEnd, useInstruments, useSession } from "../../api/hooks";
import { EndPick } from "../../domain/EndPick";
import { FarEndAsk, farUnsaid, ofFarEnd } from "../../domain/FarEndAsk";
import { LossText } from "../../domain/LossText";
import { NextForFailed } from "../../domain/NextForFailed";
import {
  keepReference,
  keptReference,
  levelOf,
  ofReference,
  type Reference,
  USUAL_DB,
  withCheck,
  withLevel,
} from "../../domain/reference";
import { StatusMark } from "../../domain/Verdict";
import { isOpen } from "../../engine/project";
import { type Told, useLedger } from "../../offline/useLedger";
import { Await, choices, Grid, Nothing, StrandName, useChoices } from "../../ui/Parts";
import { dB } from "../../ui/settings";
import { PanelEntry } from "./PanelEntry";
import { TraceLook } from "./TraceLook";

/** Reference and reading per wavelength; loss, limit, margin and verdict as they are typed. */
export default function Measure() {
  const { t } = useTranslation();
  const { endId } = useParams();
  const navigate = useNavigate();
  const end = useEnd(endId);
  const [asked, setHow] = useSearchParams({ how: "meter" });
  const how = asked.get("how") ?? "meter";
  return (
    <>
      <h1>{t("measure.title")}</h1>
      <div className="card row">
        <EndPick
          status={["to-measure", "to-accept", "needs-decision"]}
          label={t("measure.choose")}
          value={endId}
          onChange={(id) => navigate(`/measure/${id}`)}
        />
        <span className="caution faint">{t("caution.light")}</span>
      </div>
      {endId && (
        <Await of={end}>
          {(e) => (
            <>
              <Segmented
                aria-label={t("measure.how")}
                style={{ marginBottom: 12 }}
                options={(["meter", "panel", "trace"] as const).map((v) => ({
                  value: v,
                  label: t(v === "trace" ? "measure.traceTab" : `measure.${v}`),
                }))}
                value={how}
                onChange={(v) => setHow({ how: v }, { replace: true })}
              />
              {how === "meter" && <Meter key={e.endId} end={e} />}
              {how === "panel" && <PanelEntry key={e.placeId} end={e} />}
              {how === "trace" && <TraceLook key={e.endId} end={e} attempt={openAttempt(e)} />}
            </>
          )}
        </Await>
      )}
    </>
  );
}

function Meter({ end }: { end: S["EndView"] }) {
  const { t } = useTranslation();
  const tell = useLedger();
  const { message } = App.useApp();
  const options = useChoices();
  const far = useEnd(end.farEndId ?? undefined);
  const [direction, setDirection] = useState<NonNullable<S["Direction"]>>(end.side === "B" ? "b-to-a" : "a-to-b");
  const [reference, setReference] = useState(() => keptReference(direction));
  const [reading, setReading] = useState<Record<number, number | null>>({});
  const [farSaid, sayFar] = useState(farUnsaid);
  const [why, setWhy] = useState("");
  const session = useSession();
  const meters = (useInstruments().data ?? []).filter((m) => m.kind === "power-meter" || m.kind === "other");
  const wavelengths = end.testWavelengthsNm;
  const refOf = (nm: number) => levelOf(reference, nm);
  const keep = (next: Reference) => {
    setReference(next);
    keepReference(next, direction);
  };
  const attempt = openAttempt(end);
  const farAttempt = openAttempt(far.data);
  const set = wavelengths.filter((nm) => refOf(nm) !== null);
  const state = useQuery({
    queryKey: ["reference", reference, wavelengths],
    queryFn: () =>
      post<S["ReferenceJudgement"][]>("/api/calc/reference", {
        reference: {
          method: reference.method,
          levels: Object.fromEntries(
            Object.entries(reference.levels).map(([nm, l]) => [
              nm,
              { dbm: l.dbm, setAt: l.at, checkDbm: l.check ?? null, checkedAt: l.checkedAt ?? null },
            ]),
          ),
          cords: reference.cords ?? "",
        },
        wavelengthsNm: wavelengths,
        now: new Date().toISOString(),
      }),
    enabled: set.length > 0,
  });
  const stateOf = (nm: number) => state.data?.find((r) => r.wavelengthNm === nm);
  const link = {
    fiberClass: end.fiberClass,
    lengthM: end.lengthM,
    connections: end.connections,
    splices: end.splices,
  };
  const judged = useQueries({
    queries: wavelengths.map((nm) => {
      const body = {
        limitSetId: end.limitSetId,
        link,
        reading: {
          wavelengthNm: nm,
          reference: reference.method,
          referenceDbm: refOf(nm),
          readingDbm: reading[nm] ?? null,
          repeatabilityDb: reference.repeatabilityDb,
        },
      };
      return {
        queryKey: ["loss", body],
        queryFn: () => post<S["LossJudgement"]>("/api/calc/insertion-loss", body),
        enabled: refOf(nm) !== null && typeof reading[nm] === "number",
        retry: false,
      };
    }),
  });
  const filled = wavelengths.filter(
    (nm, i) =>
      refOf(nm) !== null &&
      typeof reading[nm] === "number" &&
      judged[i]?.data &&
      (stateOf(nm)?.state ?? "good") === "good",
  );
  const save = async () => {
    const body = (nm: number, runId: string) => ({
      runId,
      limitSetId: end.limitSetId,
      ...link,
      reference: reference.method,
      wavelengthNm: nm,
      referenceDbm: refOf(nm),
      readingDbm: reading[nm],
      repeatabilityDb: reference.repeatabilityDb,
      ...(end.farEndMade ? { into: null, note: null } : ofFarEnd(farSaid)),
      ...ofReference(reference, nm),
      referenceDriftDb: stateOf(nm)?.driftDb ?? null,
      direction,
    });
    const told: Told[] = filled.flatMap((nm) => [
      ...(attempt
        ? [{ endId: end.endId, attempt: attempt.no, kind: "measured" as const, body: body(nm, attempt.runId) }]
        : []),
      ...(far.data && farAttempt
        ? [
            {
              endId: far.data.endId,
              attempt: farAttempt.no,
              kind: "measured" as const,
              body: body(nm, farAttempt.runId),
            },
          ]
        : []),
    ]);
    const done = await tell(...told);
    if (done.ok) {
      message.success(t(farAttempt ? "measure.savedBoth" : "measure.saved", { far: end.farAddress }));
      setReading({});
    }
  };
  const uncounted = !!attempt && !end.shardsCounted;
  const over = end.state.verdict === "marginal-over";
  const mayAccept = over
    ? session.data?.person?.role === "lead" || session.data?.person?.role === "office"
    : end.state.status === "to-accept";
  const accept = async () => {
    if (!attempt) return;
    const done = await tell({
      endId: end.endId,
      attempt: attempt.no,
      kind: "accepted",
      body: { runId: attempt.runId, note: over ? why : null },
    });
    if (done.ok) message.success(t("measure.accepted"));
  };
  return (
    <>
      <p className="row">
        <b>{end.address}</b>
        <StrandName strand={end.strand} />
        <span>
          {t("measure.link", {
            fiber: end.fiberClass,
            length: end.lengthM,
            connections: t("measure.connectionsOf", { count: end.connections }),
            splices: t("measure.splicesOf", { count: end.splices }),
          })}
        </span>
        <StatusMark
          status={end.state.status ?? "planned"}
          verdict={end.state.verdict ?? "none"}
          farEndUnknown={attempt?.farEndUnknown}
        />
        <Link to={`/handover/${end.endId}`}>{t("bench.toRecord")}</Link>
      </p>
      {!attempt ? (
        <Nothing text={end.state.status === "accepted" ? t("bench.accepted") : t("measure.none")} />
      ) : (
        <>
          {attempt.farEndUnknown && <FarUnknown end={end} attempt={attempt} />}
          <section className="card">
            <div className="row">
              <div>
                <div className="faint">{t("measure.referenceMethod")}</div>
                <Select
                  aria-label={t("measure.referenceMethod")}
                  style={{ width: 140 }}
                  value={reference.method}
                  options={options("measure", ["one-cord", "two-cord", "three-cord"])}
                  onChange={(method) => keep({ ...reference, method: method as S["ReferenceMethod"] })}
                />
              </div>
              <div>
                <div className="faint">{t("measure.meter")}</div>
                <Select
                  aria-label={t("measure.meter")}
                  allowClear
                  style={{ width: 230 }}
                  placeholder={t("measure.anyMeter", { db: dB(USUAL_DB) })}
                  value={meters.some((m) => m.id === reference.instrumentId) ? reference.instrumentId : undefined}
                  options={meters.map((m) => ({
                    value: m.id,
                    label: `${[m.name, m.number].filter(Boolean).join(" ")} · ±${dB(m.repeatabilityDb ?? USUAL_DB)} dB`,
                  }))}
                  onChange={(id) => {
                    const meter = meters.find((m) => m.id === id);
                    keep({
                      ...reference,
                      instrumentId: id ?? null,
                      repeatabilityDb: meter?.repeatabilityDb ?? USUAL_DB,
                    });
                  }}
                />
              </div>
              <div>
                <div className="faint">{t("measure.direction")}</div>
                <Select
                  aria-label={t("measure.direction")}
                  style={{ width: 110 }}
                  value={direction}
                  options={options("measure", ["a-to-b", "b-to-a"])}
                  onChange={(d) => {
                    setDirection(d);
                    setReference(keptReference(d));
                  }}
                />
              </div>
              <label>
                <div className="faint">{t("measure.cords")}</div>
                <Input
                  style={{ width: 120 }}
                  maxLength={60}
                  value={reference.cords ?? ""}
                  onChange={(e) => keep({ ...reference, cords: e.target.value })}
                />
              </label>
            </div>
          </section>
          <div className="cols">
            {wavelengths.map((nm, i) => (
              <section className="card" key={nm}>
                <h2>{t("measure.wavelength", { nm })}</h2>
                <div className="row">
                  <Field
                    label={t("measure.reference")}
                    step={0.01}
                    value={refOf(nm)}
                    onChange={(v) => keep(withLevel(reference, nm, v))}
                  />
                  <Field
                    label={t("measure.reading")}
                    step={0.01}
                    value={reading[nm] ?? null}
                    onChange={(v) => setReading({ ...reading, [nm]: v })}
                  />
                  <Field
                    label={t("measure.check")}
                    step={0.01}
                    value={reference.levels[nm]?.check ?? null}
                    onChange={(v) => keep(withCheck(reference, nm, v))}
                  />
                </div>
                {stateOf(nm) && (
                  <p className={stateOf(nm)?.state === "good" ? "faint" : "tone-bad"}>
                    {t(`measure.${stateOf(nm)?.state}`, {
                      nm,
                      hours: Math.max(0, stateOf(nm)?.ageHours ?? 0).toFixed(1),
                      drift: dB(stateOf(nm)?.driftDb ?? 0),
                    })}
                  </p>
                )}
                {judged[i]?.error ? (
                  <p className="tone-bad">{(judged[i].error as Error).message}</p>
                ) : judged[i]?.data && typeof reading[nm] === "number" ? (
                  <LossText judgement={judged[i].data} />
                ) : (
                  <p className="faint">{t("measure.need")}</p>
                )}
              </section>
            ))}
          </div>
          {farAttempt && <p className="faint">{t("measure.farToo", { far: end.farAddress })}</p>}
          {!attempt.farEndUnknown && !end.farEndMade && (
            <FarEndAsk value={farSaid} onChange={sayFar} far={[end.farAddress]} />
          )}
          {over && (
            <section className="card">
              <p className="tone-doubtful">
                <b>
                  {attempt.losses
                    .filter((l) => l.judgement.verdict === "marginal-over")
                    .map((l) =>
                      t("measure.over", {
                        nm: l.judgement.wavelengthNm,
                        loss: dB(l.judgement.lossDb),
                        limit: dB(l.judgement.limit.limitDb),
                      }),
                    )
                    .join(" ")}
                </b>{" "}
                {t(mayAccept ? "measure.overMay" : "measure.overLead")}
              </p>
              {mayAccept && (
                <label>
                  <div className="faint">{t("measure.overWhy")}</div>
                  <Input.TextArea rows={2} maxLength={2000} value={why} onChange={(e) => setWhy(e.target.value)} />
                </label>
              )}
            </section>
          )}
          <div className="row">
            <Button type="primary" size="large" disabled={filled.length === 0} onClick={save}>
              {t("measure.save")}
            </Button>
            <Button size="large" disabled={!mayAccept || uncounted || (over && !why.trim())} onClick={accept}>
              {t(over ? "measure.acceptOver" : "measure.accept")}
            </Button>
            {uncounted && <Link to={`/bench/${end.jobId}/${end.placeId}`}>{t("bench.countFirst")}</Link>}
          </div>
          <div className="cols" style={{ marginTop: 16 }}>
            <Carries end={end} />
            <WhatIf end={end} />
          </div>
          {end.state.status === "needs-decision" && (
            <div style={{ marginTop: 16 }}>
              <NextForFailed end={end} attempt={attempt} reasons={options("reason", choices.reason)} />
            </div>
          )}
        </>
      )}
    </>
  );
}

const openAttempt = (e?: S["EndView"]) =>
  e?.state.attempts.filter((a) => isOpen(a) && a.position.outcome === "finished" && a.acceptedAt === null).at(-1);

/** Readings that wait because nobody knows what lay at the far end: they settle by themselves, or when somebody says it. */
function FarUnknown({ end, attempt }: { end: S["EndView"]; attempt: S["AttemptState"] }) {
  const { t } = useTranslation();
  const tell = useLedger();
  const [said, say] = useState(farUnsaid);
  const { into, note } = ofFarEnd(said);
  const save = () =>
    tell({ endId: end.endId, attempt: attempt.no, kind: "far-end-said", body: { runId: attempt.runId, into, note } });
  return (
    <section className="card">
      <p className="tone-doubtful">
        <b>{t("farEnd.unknown", { far: end.farAddress ?? t("farEnd.other") })}</b>
      </p>
      <FarEndAsk value={said} onChange={say} asked />
      <Button disabled={!into} onClick={save}>
        {t("farEnd.say")}
      </Button>
    </section>
  );
}

/** Both directions, and which applications the worst of them still carries. */
function Carries({ end }: { end: S["EndView"] }) {
  const { t } = useTranslation();
  const lossDb = Object.fromEntries(end.losses.map((l) => [l.wavelengthNm, l.worstDb]));
  const fits = useQuery({
    queryKey: ["applications", end.fiberClass, end.lengthM, lossDb],
    queryFn: () =>
      post<S["ApplicationsAnswer"]>("/api/calc/applications", {
        fiberClass: end.fiberClass,
        lengthM: end.lengthM,
        lossDb,
      }),
  });
  return (
    <section className="card">
      <h2>{t("measure.both")}</h2>
      <Grid
        rowKey={(l) => `${l.wavelengthNm}`}
        rows={end.losses}
        empty={t("suspect.nothing")}
        columns={[
          { title: "nm", render: (l) => l.wavelengthNm },
          { title: t("measure.a-to-b"), right: true, render: (l) => (l.aToBDb == null ? "" : dB(l.aToBDb)) },
          { title: t("measure.b-to-a"), right: true, render: (l) => (l.bToADb == null ? "" : dB(l.bToADb)) },
          { title: t("measure.mean"), right: true, render: (l) => (l.meanDb == null ? "" : dB(l.meanDb)) },
          { title: t("measure.worst"), right: true, render: (l) => <b>{dB(l.worstDb)}</b> },
          { title: t("measure.limit"), right: true, render: (l) => dB(l.limitDb) },
        ]}
      />
      {end.losses.some((l) => l.coreMix) && <p className="tone-bad">{t("measure.coreMix")}</p>}
      <h2>{t("measure.applications")}</h2>
      <Await of={fits}>
        {(a) => (
          <>
            <ul className="list">
              {a.applications.map((f) => (
                <li key={f.limit.name} className={f.carries ? "tone-good" : f.carries === false ? "tone-bad" : "faint"}>
                  {f.limit.name}:{" "}
                  {f.tooLong
                    ? t("measure.tooLong")
                    : f.carries === null
                      ? t("measure.notMeasured", { nm: f.limit.wavelengthNm })
                      : `${t(f.carries ? "measure.carries" : "measure.carriesNot")} · ${dB(f.marginDb ?? 0)} dB`}
                </li>
              ))}
            </ul>
            <p className="faint">{a.edition}</p>
          </>
        )}
      </Await>
    </section>
  );
}

/** What a fault of one joint would cost, to compare with what the meter shows. */
function WhatIf({ end }: { end: S["EndView"] }) {
  const { t } = useTranslation();
  const [joint, setJoint] = useState({ offsetUm: 1, tiltDeg: 0, airGap: false, to: end.fiberClass });
  const body = { from: end.fiberClass, wavelengthNm: end.testWavelengthsNm[0], ...joint };
  const cost = useQuery({
    queryKey: ["joint", body],
    queryFn: () => post<S["JointBudget"]>("/api/calc/joint", body),
    retry: false,
    placeholderData: (before) => before,
  });
  return (
    <section className="card">
      <h2>{t("measure.whatIf")}</h2>
      <div className="row">
        <Field
          label={t("measure.offset")}
          step={0.5}
          value={joint.offsetUm}
          onChange={(v) => setJoint({ ...joint, offsetUm: v ?? 0 })}
        />
        <Field
          label={t("measure.tilt")}
          step={0.1}
          value={joint.tiltDeg}
          onChange={(v) => setJoint({ ...joint, tiltDeg: v ?? 0 })}
        />
        <div>
          <div className="faint">{t("measure.into")}</div>
          <Select
            aria-label={t("measure.into")}
            style={{ width: 100 }}
            value={joint.to}
            options={choices.fiberClass.map((c) => ({ value: c, label: c }))}
            onChange={(to) => setJoint({ ...joint, to })}
          />
        </div>
        <label className="row">
          <Switch
            aria-label={t("measure.gap")}
            checked={joint.airGap}
            onChange={(airGap) => setJoint({ ...joint, airGap })}
          />{" "}
          {t("measure.gap")}
        </label>
      </div>
      {cost.error ? (
        <p className="tone-bad">{(cost.error as Error).message}</p>
      ) : (
        cost.data && (
          <>
            <p>
              {t("measure.jointTotal", {
                total: dB(cost.data.totalDb),
                offset: dB(cost.data.offsetDb),
                tilt: dB(cost.data.tiltDb),
                gap: dB(cost.data.gapDb),
                mismatch: dB(cost.data.mismatchDb),
                backward: dB(cost.data.backwardMismatchDb),
              })}
            </p>
            {cost.data.note && <p className="faint">{t(`measure.${cost.data.note}`)}</p>}
          </>
        )
      )}
    </section>
  );
}

/** Loss, limit, margin and verdict; while the far end is unknown, a pass says what it waits for. */

function Field(props: { label: string; value: number | null; onChange: (v: number | null) => void; step?: number }) {
  return (
    <label>
      <div className="faint">{props.label}</div>
      <InputNumber style={{ width: 130 }} step={props.step ?? 1} value={props.value} onChange={props.onChange} />
    </label>
  );
}
