import { Alert, App, Button, Input, Select, Tag } from "antd";
import type { TFunction } from "i18next";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import { Link, useParams } from "react-router";
import type { S } from "../../api/client";
import { useLimits, useRecord, useSession, useTable } from "../../api/hooks";
import { CleaveText } from "../../domain/CleaveText";
import { DecisionCard } from "../../domain/DecisionCard";
import { FaceMap } from "../../domain/FaceMap";
import { LightText } from "../../domain/LightText";
import { LossText } from "../../domain/LossText";
import { PhotoShelf } from "../../domain/PhotoShelf";
import { SlackText } from "../../domain/SlackText";
import { StatusMark } from "../../domain/Verdict";
import { VerdictText } from "../../domain/VerdictText";
import { isOpen } from "../../engine/project";
import { useLedger } from "../../offline/useLedger";
import { Await, choices, StrandName, useChoices } from "../../ui/Parts";
import { dB, siteDay, siteTime, useLength, useWords } from "../../ui/settings";

/** The proof of one end: what it is, every attempt, every measurement with its limit, who and when. */
export default function EndRecord() {
  const { t } = useTranslation();
  const { endId } = useParams();
  const record = useRecord(endId);
  const works = useSession().data?.person?.role !== "viewer";
  return (
    <Await of={record}>
      {({ end, entries }) => (
        <>
          <div className="row between">
            <h1>{t("handover.record", { address: end.address })}</h1>
            <Button className="noprint" onClick={() => window.print()}>
              {t("app.print")}
            </Button>
          </div>
          <div className="cols">
            <What end={end} />
            <Stands end={end} />
          </div>
          {end.waiting && <DecisionCard end={end} />}
          {end.state.attempts.map((a) => (
            <Attempt key={a.runId} end={end} attempt={a} entries={entries.filter((e) => belongs(e, a, end))} />
          ))}
          {works && (
            <section className="card noprint" aria-label={t("photo.ofEnd")}>
              <PhotoShelf of={{ endId: end.endId }} name={t("photo.ofEnd")} timeZone={end.timeZone} />
            </section>
          )}
          <Loose end={end} entries={entries.filter((e) => e.kind === "noted")} />
          <p className="law">{t("app.law")}</p>
        </>
      )}
    </Await>
  );
}

/** Entries of a run; corrections and what they struck stay visible beside it. */
function belongs(e: S["RecordEntry"], a: S["AttemptState"], end: S["EndView"]) {
  const body = e.body as { runId?: string };
  if (e.kind === "noted") return false;
  if (e.kind === "attempt-started") return e.eventId === a.runId;
  if (body.runId) return body.runId === a.runId;
  return e.attempt === a.no && end.state.attempts.findLast((x) => x.no === e.attempt)?.runId === a.runId;
}

function What({ end }: { end: S["EndView"] }) {
  const { t } = useTranslation();
  const facts: [string, React.ReactNode][] = [
    ["site", `${end.customer}, ${end.site}, ${end.spaceName}`],
    ["strand", <StrandName key="s" strand={end.strand} />],
    ["cable", `${end.cableCode} · ${end.fiberClass} · ${t(`construction.${end.construction}`)} · ${end.lengthM} m`],
    ["form", `${t(`form.${end.form}`)}/${end.polish}`],
    ["mode", t(`mode.${end.mode}`)],
    ["method", t(`method.${end.method}`)],
    ["stub", end.stubClass],
    ["procedure", end.procedureId && `${end.procedureId}, ${t("methods.version", { v: end.procedureVersion })}`],
    ["far", end.farEndId && <Link to={`/handover/${end.farEndId}`}>{end.farAddress}</Link>],
    ["crew", end.crewName],
  ];
  return (
    <section className="card">
      <h2>{t("handover.what")}</h2>
      <dl className="facts">
        {facts.map(
          ([name, value]) =>
            value && (
              <div key={name} className="contents">
                <dt>{t(`handover.${name}`)}</dt>
                <dd>{value}</dd>
              </div>
            ),
        )}
      </dl>
    </section>
  );
}

function Stands({ end }: { end: S["EndView"] }) {
  const { t } = useTranslation();
  const length = useLength();
  const works = useSession().data?.person?.role !== "viewer";
  const attempt = end.state.attempts.filter(isOpen).at(-1);
  return (
    <section className="card">
      <h2>{t("handover.state")}</h2>
      <p className="big">
        <StatusMark
          status={end.state.status ?? "planned"}
          verdict={end.state.verdict ?? "none"}
          farEndUnknown={attempt?.farEndUnknown}
        />{" "}
        {end.state.verdict !== "none" && <Tag>{t(`verdict.${end.state.verdict}`)}</Tag>}
      </p>
      <dl className="facts">
        <dt>{t("handover.attempts")}</dt>
        <dd>{end.state.attempts.length}</dd>
        {works && (
          <>
            <dt>{t("handover.slackUsed")}</dt>
            <dd>{length(end.state.slackUsedMm)}</dd>
            <dt>{t("handover.slackLeft")}</dt>
            <dd>
              <SlackText slack={end.slack} />
            </dd>
            <dt>{t("handover.shards")}</dt>
            <dd>{end.state.attempts.reduce((n, a) => n + a.shards, 0)}</dd>
            <dt>{t("handover.reworkMinutes")}</dt>
            <dd>{end.state.attempts.reduce((n, a) => n + a.reworkMinutes, 0)}</dd>
          </>
        )}
      </dl>
      {works && end.slack.nearlyOut && <Alert type="warning" showIcon title={t("prep.nearlyOut")} />}
      {end.state.conflict && <Alert type="error" showIcon title={t("bench.conflict")} />}
      {end.state.attempts.some((a) => a.shardCount?.off) && (
        <p className="tone-bad">
          {end.state.attempts
            .filter((a) => a.shardCount?.off)
            .map((a) => t("handover.shardsOff", { made: a.shardCount?.made, counted: a.shardCount?.counted }))
            .join(" ")}
        </p>
      )}
      {works && (
        <p className="row noprint above">
          <Link to={`/prep/${end.endId}`}>{t("handover.prep")}</Link>
          <Link to={`/bench/${end.jobId}/${end.placeId}/${end.endId}`}>{t("rail.bench")}</Link>
          {attempt?.position.outcome === "finished" && (
            <>
              <Link to={`/look/${end.endId}`}>{t("rail.look")}</Link>
              <Link to={`/measure/${end.endId}`}>{t("rail.measure")}</Link>
            </>
          )}
        </p>
      )}
    </section>
  );
}

function Attempt(props: { end: S["EndView"]; attempt: S["AttemptState"]; entries: S["RecordEntry"][] }) {
  const { t } = useTranslation();
  const words = useWords();
  const { end, attempt } = props;
  const table = useTable(attempt.procedureId, attempt.procedureVersion, attempt.schools);
  const length = useLength();
  const role = useSession().data?.person?.role;
  const tell = useLedger();
  const last = props.entries.filter((e) => !e.struck && e.kind !== "corrected").at(-1);
  const takeBack = (e: S["RecordEntry"]) =>
    tell({ endId: end.endId, attempt: e.attempt, kind: "corrected", body: { eventId: e.eventId, note: null } });
  const verdicts = props.entries.filter((e) => (e.loss || e.endFace || e.trace || e.cleave || e.light) && !e.struck);
  return (
    <section className="card">
      <h2>
        {t("handover.attemptNo", { no: attempt.no })}{" "}
        <span className="faint">
          {isOpen(attempt) ? t(`status.${attempt.status ?? "planned"}`) : t("handover.givenUp")} · {attempt.procedureId}{" "}
          {attempt.procedureVersion}
        </span>
      </h2>
      {(table.data?.schools ?? []).some((s) => !s.ofEnd) && (
        <p className="faint">
          {t("handover.schools")}:{" "}
          {table.data?.schools
            .filter((s) => !s.ofEnd)
            .map((s) => `${s.question} ${s.label}`)
            .join(" · ")}
        </p>
      )}
      {attempt.loops.length > 0 && (
        <ul>
          {attempt.loops.map((l) => (
            <li key={l.eventId}>
              <b>{l.reason ? t(`reason.${l.reason}`) : ""}</b>: {words(l.act)}{" "}
              <span className="faint">
                {t("bench.cost", { minutes: l.minutes, slack: length(l.slackMm) })}
                {l.parts.length > 0 && ` · ${l.parts.join(", ")}`}
              </span>
            </li>
          ))}
        </ul>
      )}
      {attempt.deviations.length > 0 && (
        <>
          <h3>{t("handover.deviations")}</h3>
          <ul>
            {attempt.deviations.map((d) => (
              <li key={`${d.eventId}${d.kind}`}>
                {t("handover.deviation", { step: stepName(table.data, d.stepId), actual: d.actual, asked: d.asked })} ·{" "}
                {t(`deviation.${d.kind}`)}
              </li>
            ))}
          </ul>
        </>
      )}
      {verdicts.length > 0 && (
        <>
          <h3>{t("handover.measurements")}</h3>
          <div className="cols">
            {verdicts.map((e) => (
              <div key={e.eventId} className="card">
                <p className="faint">{t("handover.by", { name: e.actorName, time: siteTime(e.at, end.timeZone) })}</p>
                {e.loss && (
                  <>
                    <h3>{t("measure.wavelength", { nm: e.loss.wavelengthNm })}</h3>
                    <LossText
                      judgement={e.loss}
                      farEndUnknown={attempt.losses.find((l) => l.eventId === e.eventId)?.farEndUnknown}
                    />
                    <FarEndText entry={e} attempt={attempt} />
                  </>
                )}
                {e.endFace && <Seen entry={e} />}
                {(e.cleave || e.light || e.endFace) && <BenchPictures entry={e} />}
                {e.cleave && <CleaveText view={(e.body as { view: S["CleaveView"] }).view} verdict={e.cleave} />}
                {e.light && <LightText light={e.light} seen={(e.body as { seen: S["LightSeen"] }).seen} />}
                {e.endFace && <VerdictText verdict={e.endFace} />}
                {e.trace && (
                  <p className={e.trace.lossPass && e.trace.reflectancePass ? "tone-good" : "tone-bad"}>
                    {traceWords(t, e)}
                    <br />
                    <span className="faint">{e.trace.edition}</span>
                  </p>
                )}
              </div>
            ))}
          </div>
        </>
      )}
      <details open={props.entries.length < 12}>
        <summary>
          <b>{t("handover.timeline")}</b> ({props.entries.length})
        </summary>
        <ol className="list">
          {props.entries.map((e) => (
            <li key={e.eventId} className={e.struck ? "faint" : ""}>
              <div className="row between">
                <span className={e.struck ? "struck" : undefined}>
                  <Entry timeZone={end.timeZone} entry={e} table={table.data} />
                  {Number((e.body as { together?: number }).together ?? 1) > 1 && (
                    <span className="faint">
                      {" "}
                      · {t("event.together", { count: Number((e.body as { together?: number }).together) })}
                    </span>
                  )}
                  {e.notCounted && (
                    <span className="tone-bad"> · {t("handover.notCounted", { reason: e.notCounted })}</span>
                  )}
                  {e.differences.map((d) => (
                    <span key={d.field} className="faint">
                      {" · "}
                      {t([`handover.differsBy.${d.field}`, "handover.differs"], { ...d })}
                    </span>
                  ))}
                </span>
                <span className="faint">
                  {e === last && role !== "viewer" && (role !== "installer" || !end.state.conflict) && (
                    <Button className="noprint" size="small" onClick={() => takeBack(e)}>
                      {t("handover.takeBack")}
                    </Button>
                  )}{" "}
                  {e.struck && <Tag>{t("handover.struck")}</Tag>}
                  {t("handover.by", { name: e.actorName, time: siteTime(e.at, end.timeZone) })}
                </span>
              </div>
            </li>
          ))}
        </ol>
      </details>
      {isOpen(attempt) && (role === "lead" || role === "office") && end.state.status !== "at-bench" && (
        <CloseAttempt end={end} attempt={attempt} />
      )}
      {role !== "viewer" && attempt.position.outcome !== "running" && <Afterwards end={end} attempt={attempt} />}
    </section>
  );
}

const stepName = (table: S["RunTable"] | undefined, id: string) => table?.states.find((s) => s.id === id)?.act ?? id;

function Entry({ entry, table, timeZone }: { entry: S["RecordEntry"]; table?: S["RunTable"]; timeZone: string }) {
  const { t } = useTranslation();
  const words = useWords();
  const viewer = useSession().data?.person?.role === "viewer";
  const b = entry.body as Record<string, string & number>;
  switch (entry.kind) {
    case "far-end-said":
      return (
        <b>
          {t("event.far-end-said", { into: t(`into.${b.into}`) })}
          {b.note && `: ${b.note}`}
        </b>
      );
    case "attempt-started":
      return (
        <>
          <b>{t("event.attempt-started", { no: entry.attempt })}</b>
          {b.inSpiteOf && ` · ${t("event.overdue", { why: b.inSpiteOf })}`}
          {((b.preflight as unknown as S["PreflightAnswer"][]) ?? [])
            .filter((a) => a.lot)
            .map((a) => (
              <span key={a.itemId}>
                {" · "}
                {t("event.lot")}{" "}
                {viewer ? a.lot : <Link to={`/kit?part=recall&lot=${encodeURIComponent(a.lot ?? "")}`}>{a.lot}</Link>}
                {a.inSpiteOf && ` (${t("event.inSpiteOf", { why: a.inSpiteOf })})`}
              </span>
            ))}
        </>
      );
    case "step-done": {
      const step = table?.states.find((s) => s.id === b.stepId);
      const more = [
        b.count != null && step?.count ? t("event.strokes", { count: b.count, what: step.count.what }) : "",
        b.elapsedS != null ? t("event.held", { s: b.elapsedS }) : "",
      ].filter(Boolean);
      return (
        <>
          {words(step?.act ?? b.stepId)}
          {more.length > 0 && ` · ${more.join(" · ")}`}
        </>
      );
    }
    case "check-answered": {
      const step = table?.states.find((s) => s.id === b.stepId);
      const answer = step?.answers.find((a) => a.id === b.answerId);
      return (
        <>
          {step?.question ?? b.stepId}{" "}
          <b className={answer ? `tone-${answer.tone}` : ""}>{answer?.label ?? b.answerId}</b>
        </>
      );
    }
    case "inspected":
      return (
        <>
          <b>{t("event.inspected", { verdict: t(entry.endFace?.pass ? "look.pass" : "look.fail") })}</b>
          {entry.again && (
            <div className={entry.again.match === "other" ? "tone-doubtful" : "faint"}>
              {t(`again.${entry.again.match}`, {
                ...entry.again,
                count: entry.again.of,
                day: siteDay(entry.again.acceptedAt, timeZone),
              })}
            </div>
          )}
        </>
      );
    case "measured":
      return (
        <b>
          {entry.loss &&
            t("event.measured", {
              nm: entry.loss.wavelengthNm,
              loss: dB(entry.loss.lossDb),
              limit: dB(entry.loss.limit.limitDb),
              verdict: t(`loss.${entry.loss.verdict}`),
            })}
        </b>
      );
    case "cleave-seen":
      return entry.cleave ? (
        <b className={entry.cleave.pass ? (entry.cleave.doubtful ? "tone-doubtful" : "tone-good") : "tone-bad"}>
          {t("event.cleave-seen")}:{" "}
          {entry.cleave.pass
            ? t(entry.cleave.doubtful ? "cleave.doubtful" : "cleave.good")
            : t("cleave.bad", { what: entry.cleave.faults.map((f) => t(`cleave.${f}`)).join(", ") })}
        </b>
      ) : null;
    case "light-judged":
      return entry.light ? (
        <>
          {t("event.light-judged")}: <LightText light={entry.light} seen={b.seen as unknown as S["LightSeen"]} />
        </>
      ) : null;
    case "traced":
      return <b>{traceWords(t, entry)}</b>;
    case "reworked":
    case "attempt-closed":
      return <b>{t(`event.${entry.kind}`, { reason: t(`reason.${b.reason}`) })}</b>;
    case "noted":
      return <>{b.text}</>;
    case "damaged":
      return (
        <b className="tone-bad">
          {t(b.usable ? "event.damagedUsable" : "event.damaged", { what: t(`damage.${b.what}`) })} {b.note}
        </b>
      );
    case "cause-confirmed":
      return <b>{t("event.cause-confirmed", { cause: t(`reason.${b.cause}`) })}</b>;
    case "splice-read":
      return (
        <>
          {t(b.estimated ? "event.splice-estimated" : "event.splice-read", { loss: dB(Number(b.lossDb)) })}
          {b.leftAngleDeg != null &&
            b.rightAngleDeg != null &&
            ` · ${t("event.splice-angles", { left: b.leftAngleDeg, right: b.rightAngleDeg })}`}
        </>
      );
    case "shards-counted":
      return <b>{t("handover.shardsOff", { made: b.made, counted: b.counted })}</b>;
    case "timer-started":
      return (
        <>
          {t("event.timer-started")}: {words(stepName(table, b.stepId ?? ""))}
        </>
      );
    case "preflight-answered": {
      const said = (entry.body as { answer: S["PreflightAnswer"] }).answer;
      const item = table?.preflight.find((p) => p.id === said.itemId);
      const more = [
        said.lot,
        said.useBy,
        said.number != null && `${said.number} ${item?.unit ?? ""}`,
        said.inSpiteOf && t("event.inSpiteOf", { why: said.inSpiteOf }),
      ].filter(Boolean);
      return (
        <>
          {t("event.preflight-answered")}: {words(item?.text ?? said.itemId)} {more.join(" · ")}
        </>
      );
    }
    default:
      return <b>{t(`event.${entry.kind}`)}</b>;
  }
}

function CloseAttempt({ end, attempt }: { end: S["EndView"]; attempt: S["AttemptState"] }) {
  const { t } = useTranslation();
  const tell = useLedger();
  const options = useChoices();
  const [reason, setReason] = useState<string>();
  const close = (cutOff: boolean) =>
    tell({
      endId: end.endId,
      attempt: attempt.no,
      kind: "attempt-closed",
      body: { runId: attempt.runId, reason, cutOff, note: null },
    });
  return (
    <details className="noprint above">
      <summary>{t("handover.closeTitle")}</summary>
      <div className="row">
        <Select
          aria-label={t("look.reason")}
          placeholder={t("look.reason")}
          className="w-l"
          options={options("reason", choices.reason)}
          value={reason}
          onChange={setReason}
        />
        <Button danger disabled={!reason} onClick={() => close(true)}>
          {t("look.cutOff")}
        </Button>
        {end.state.conflict && (
          <Button disabled={!reason} onClick={() => close(false)}>
            {t("handover.closeRun")}
          </Button>
        )}
      </div>
    </details>
  );
}

const DAMAGES = ["face-struck", "fiber-pulled", "cable-pinched", "jacket-cut", "connector-broken", "wet", "other"];

/** A connector was damaged after it was made; or somebody found out why it failed. */
function Afterwards({ end, attempt }: { end: S["EndView"]; attempt: S["AttemptState"] }) {
  const { t } = useTranslation();
  const tell = useLedger();
  const options = useChoices();
  const [what, setWhat] = useState<string>();
  const [note, setNote] = useState("");
  const [cause, setCause] = useState<string>();
  const of = { endId: end.endId, attempt: attempt.no };
  const damaged = (usable: boolean) =>
    tell({ ...of, kind: "damaged", body: { runId: attempt.runId, what, usable, note: note || null } });
  return (
    <details className="noprint above">
      <summary>{t("handover.afterwards")}</summary>
      {isOpen(attempt) && (
        <div className="row">
          <Select
            aria-label={t("handover.damage")}
            placeholder={t("handover.damage")}
            className="w-m"
            options={options("damage", DAMAGES)}
            value={what}
            onChange={setWhat}
          />
          <Input
            aria-label={t("handover.damageNote")}
            placeholder={t("handover.damageNote")}
            className="w-l"
            value={note}
            onChange={(e) => setNote(e.target.value)}
          />
          <Button disabled={!what} onClick={() => damaged(true)}>
            {t("handover.stillGood")}
          </Button>
          <Button danger disabled={!what} onClick={() => damaged(false)}>
            {t("handover.remakeIt")}
          </Button>
        </div>
      )}
      <div className="row">
        <Select
          aria-label={t("handover.cause")}
          placeholder={t("handover.cause")}
          className="w-l"
          options={options("reason", choices.reason)}
          value={cause}
          onChange={setCause}
        />
        <Button
          disabled={!cause}
          onClick={() => tell({ ...of, kind: "cause-confirmed", body: { runId: attempt.runId, cause, by: null } })}
        >
          {t("handover.sayCause")}
        </Button>
      </div>
    </details>
  );
}

function Loose({ end, entries }: { end: S["EndView"]; entries: S["RecordEntry"][] }) {
  const { t } = useTranslation();
  const tell = useLedger();
  const { message } = App.useApp();
  const role = useSession().data?.person?.role;
  const [text, setText] = useState("");
  const add = async () => {
    const done = await tell({
      endId: end.endId,
      attempt: end.state.attempts.at(-1)?.no ?? 1,
      kind: "noted",
      body: { text },
    });
    if (done.ok) {
      setText("");
      message.success(t("handover.noted"));
    }
  };
  return (
    <section className="card">
      <h2>{t("handover.note")}</h2>
      {end.state.attempts.length === 0 && entries.length === 0 && <p className="faint">{t("handover.noEntries")}</p>}
      <ul className="list">
        {entries.map((e) => (
          <li key={e.eventId}>
            {(e.body as { text: string }).text}{" "}
            <span className="faint">{t("handover.by", { name: e.actorName, time: siteTime(e.at, end.timeZone) })}</span>
          </li>
        ))}
      </ul>
      {role !== "viewer" && (
        <div className="row noprint">
          <Input
            aria-label={t("handover.noteText")}
            className="narrow"
            maxLength={2000}
            value={text}
            onChange={(e) => setText(e.target.value)}
          />
          <Button disabled={!text.trim()} onClick={add}>
            {t("app.add")}
          </Button>
        </div>
      )}
    </section>
  );
}

/** What the link was measured into, and who says so: the far end's own record, or a person. */
function FarEndText({ entry, attempt }: { entry: S["RecordEntry"]; attempt: S["AttemptState"] }) {
  const { t } = useTranslation();
  const said = entry.body as { into?: string | null; note?: string | null };
  const loss = attempt.losses.find((l) => l.eventId === entry.eventId);
  const into = loss?.said ?? said.into;
  if (loss?.farMade) return <p className="faint">{t("farEnd.byRecord")}</p>;
  if (into)
    return (
      <p className="faint">{`${t("farEnd.bySaying", { into: t(`into.${into}`) })}${said.note ? `: ${said.note}` : ""}`}</p>
    );
  return null;
}

/** Side view of a cleave, or the two photos of the red light. */
function BenchPictures({ entry }: { entry: S["RecordEntry"] }) {
  const { t } = useTranslation();
  const { pictureId, photoId, photos } = entry.body as {
    pictureId?: string;
    photoId?: string | null;
    photos?: S["LightPhotos"] | null;
  };
  const shown = pictureId
    ? [[pictureId, t("cleave.take")]]
    : photoId
      ? [[photoId, t("look.pendingPicture")]]
      : photos
        ? [
            [photos.beforeId, t("light.before")],
            [photos.afterId, t("light.after")],
          ]
        : [];
  return (
    <div className="pair">
      {shown.map(([id, name]) => (
        <img key={id} className="evidence" src={`/api/pictures/${id}`} alt={name} />
      ))}
    </div>
  );
}

/** The picture that a look rests on, with the findings as the person left them. */
function Seen({ entry }: { entry: S["RecordEntry"] }) {
  const { t } = useTranslation();
  const limits = useLimits();
  const { picture } = entry.body as { picture?: S["SeenFace"] | null };
  // By what it was graded, whatever the device had thought.
  const table = limits.data?.endFace
    .find((s) => s.id === entry.endFace?.limitSetId)
    ?.classes.find((c) => c.class === entry.endFace?.class);
  if (!picture || limits.isPending) return null;
  return (
    <>
      <FaceMap
        picture={picture}
        zones={table?.zones ?? []}
        marks={picture.final}
        decisive={entry.endFace?.decidedBy.flatMap((b) => b.findings)}
        overlay
        label={t("look.kept")}
      />
      <p className="faint">{t("look.both", { automatic: picture.automatic.length, final: picture.final.length })}</p>
    </>
  );
}

const traceWords = (t: TFunction, e: S["RecordEntry"]) => {
  const b = e.body as { wavelengthNm: number; lossDb: number; reflectanceDb: number | null };
  const pass = e.trace?.lossPass && e.trace.reflectancePass;
  return t(pass ? "trace.pass" : "trace.fail", {
    nm: b.wavelengthNm,
    loss: dB(b.lossDb),
    limit: dB(e.trace?.lossLimitDb ?? 0),
  });
};
