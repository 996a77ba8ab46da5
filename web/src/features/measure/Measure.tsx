import { useQueries } from "@tanstack/react-query";
import { App, Button, InputNumber, Select } from "antd";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import { Link, useNavigate, useParams } from "react-router";
import { post, type S } from "../../api/client";
import { useEnd } from "../../api/hooks";
import { isOpen } from "../../offline/project";
import { type Told, useLedger } from "../../offline/useLedger";
import { EndPick } from "../../ui/EndPick";
import { Await, choices, Nothing, StrandName, useChoices } from "../../ui/Parts";
import { dB, siteTime } from "../../ui/settings";
import { StatusMark } from "../../ui/Verdict";
import { NextForFailed } from "../look/Look";
import { keepReference, keptReference, type Reference } from "./reference";

/** Reference and reading per wavelength; loss, limit, margin and verdict as they are typed. */
export default function Measure() {
  const { t } = useTranslation();
  const { endId } = useParams();
  const navigate = useNavigate();
  const end = useEnd(endId);
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
      {endId && <Await of={end}>{(e) => <Meter key={e.endId} end={e} />}</Await>}
    </>
  );
}

function Meter({ end }: { end: S["EndView"] }) {
  const { t } = useTranslation();
  const tell = useLedger();
  const { message } = App.useApp();
  const options = useChoices();
  const far = useEnd(end.farEndId ?? undefined);
  const [reference, setReference] = useState(keptReference);
  const [reading, setReading] = useState<Record<number, number | null>>({});
  const [connections, setConnections] = useState<number | null>(2);
  const [splices, setSplices] = useState<number | null>(0);
  const wavelengths = end.testWavelengthsNm;
  const refOf = (nm: number) => reference.dbm[nm] ?? null;
  const keep = (change: Partial<Reference>) => {
    const next = { ...reference, ...change };
    setReference(next);
    keepReference(next);
  };
  const open = (e?: S["EndView"]) =>
    e?.state.attempts.filter((a) => isOpen(a) && a.position.outcome === "finished" && a.acceptedAt === null).at(-1);
  const attempt = open(end);
  const farAttempt = open(far.data);
  const link = {
    fiberClass: end.fiberClass,
    lengthM: end.lengthM,
    connections: connections ?? 0,
    splices: splices ?? 0,
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
    (nm, i) => refOf(nm) !== null && typeof reading[nm] === "number" && judged[i]?.data,
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
      note: null,
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
  const uncounted = !!attempt?.batchId && attempt.shards > 0 && attempt.shardCount?.runShards !== attempt.shards;
  const accept = async () => {
    if (!attempt) return;
    const done = await tell({
      endId: end.endId,
      attempt: attempt.no,
      kind: "accepted",
      body: { runId: attempt.runId, note: null },
    });
    if (done.ok) message.success(t("measure.accepted"));
  };
  return (
    <>
      <p className="row">
        <b>{end.address}</b>
        <StrandName strand={end.strand} />
        <span>
          {end.fiberClass} · {end.lengthM} m
        </span>
        <StatusMark status={end.state.status ?? "planned"} verdict={end.state.verdict ?? "none"} />
        <Link to={`/handover/${end.endId}`}>{t("bench.toRecord")}</Link>
      </p>
      {!attempt ? (
        <Nothing text={end.state.status === "accepted" ? t("bench.accepted") : t("measure.none")} />
      ) : (
        <>
          <section className="card">
            <div className="row">
              <div>
                <div className="faint">{t("measure.referenceMethod")}</div>
                <Select
                  aria-label={t("measure.referenceMethod")}
                  style={{ width: 140 }}
                  value={reference.method}
                  options={options("measure", ["one-cord", "two-cord", "three-cord"])}
                  onChange={(method) => keep({ method: method as S["ReferenceMethod"] })}
                />
              </div>
              <Field label={t("measure.connections")} value={connections} onChange={setConnections} />
              <Field label={t("measure.splices")} value={splices} onChange={setSplices} />
              <Field
                label={t("measure.repeatability")}
                step={0.01}
                value={reference.repeatabilityDb}
                onChange={(v) => keep({ repeatabilityDb: v ?? 0 })}
              />
              {reference.at && (
                <span className="faint">{t("measure.setAt", { time: siteTime(reference.at, end.timeZone) })}</span>
              )}
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
                    onChange={(v) => keep({ dbm: { ...reference.dbm, [nm]: v }, at: new Date().toISOString() })}
                  />
                  <Field
                    label={t("measure.reading")}
                    step={0.01}
                    value={reading[nm] ?? null}
                    onChange={(v) => setReading({ ...reading, [nm]: v })}
                  />
                </div>
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
          <div className="row">
            <Button type="primary" size="large" disabled={filled.length === 0} onClick={save}>
              {t("measure.save")}
            </Button>
            <Button size="large" disabled={end.state.status !== "to-accept" || uncounted} onClick={accept}>
              {t("measure.accept")}
            </Button>
            {uncounted && <Link to={`/bench/${end.jobId}/${end.panelId}`}>{t("bench.countFirst")}</Link>}
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

export function LossText({ judgement: j }: { judgement: S["LossJudgement"] }) {
  const { t } = useTranslation();
  const tone = j.verdict === "pass" ? "good" : j.verdict === "marginal" ? "doubtful" : "bad";
  return (
    <>
      <dl className="facts">
        <dt>{t("measure.loss")}</dt>
        <dd>
          <b>{dB(j.lossDb)} dB</b>
        </dd>
        <dt>{t("measure.limit")}</dt>
        <dd>
          {dB(j.limit.limitDb)} dB{" "}
          <span className="faint">
            {t("measure.limitText", {
              cable: dB(j.limit.cableDb),
              connections: dB(j.limit.connectionsDb),
              count: j.limit.connectionsCounted,
              splices: dB(j.limit.splicesDb),
            })}
          </span>
        </dd>
        <dt>{t("measure.margin")}</dt>
        <dd>{dB(j.marginDb)} dB</dd>
        <dt>{t("measure.verdict")}</dt>
        <dd className={`tone-${tone}`}>
          <b>{t(`loss.${j.verdict}`)}</b>
        </dd>
      </dl>
      {j.verdict === "bad-reference" && <p className="tone-bad">{t("loss.badReferenceText")}</p>}
      <p className="faint">{j.limit.edition}</p>
    </>
  );
}

function Field(props: { label: string; value: number | null; onChange: (v: number | null) => void; step?: number }) {
  return (
    <label>
      <div className="faint">{props.label}</div>
      <InputNumber style={{ width: 130 }} step={props.step ?? 1} value={props.value} onChange={props.onChange} />
    </label>
  );
}
