import { Alert, App, Button } from "antd";
import { useEffect, useRef, useState } from "react";
import { useTranslation } from "react-i18next";
import { Link } from "react-router";
import type { S } from "../../api/client";
import { useSession } from "../../api/hooks";
import { ActDrawing, AnswerDrawing } from "../../domain/acts/ActDrawing";
import { current, tableOf } from "../../engine/project";
import type { Step } from "../../offline/db";
import { StrandName } from "../../ui/Parts";
import { useLength, useWords } from "../../ui/settings";
import { Clock, clockText, leftS, Strokes, useCount, useRinging, useSheet } from "./Counters";
import { HandsFree, taught, useAloud } from "./HandsFree";
import { Preflight } from "./Preflight";
import { Proof } from "./Proof";
import { NO_SPLICE, SpliceRead, spliceSaid } from "./SpliceRead";
import { type Batch, beginBatch, lastStep } from "./useBatch";

type Props = {
  bench: S["PanelBench"];
  batch: Batch;
  chosen?: string;
  onChoose: (endId?: string) => void;
};

/** The one next act: for the strand that Core's order says, or the one that was chosen. */
export function HandCard({ bench, batch, chosen, onChoose }: Props) {
  const { t } = useTranslation();
  const words = useWords();
  const { message } = App.useApp();
  const [help, setHelp] = useState(false);
  const [splice, setSplice] = useState(NO_SPLICE);
  const { at, state, table, runs, together, acts, blocked, best, now, viewer } = batch;
  const key = `${at?.attempt.runId}.${state?.id}`;
  const count = useCount(key);
  const sheet = useSheet(state?.count?.film, useSession().data?.person?.crewId);
  const chosenEnd = bench.ends.find((e) => e.endId === chosen);
  const chosenRun = chosenEnd && current(chosenEnd.state);
  const lost =
    !at && !best?.readyAt && runs.find((r) => r.attempt.position.outcome === "given-up" && r.attempt.closed === null);
  const over =
    chosenEnd && chosenRun && chosenRun.position.stateId === null
      ? { end: chosenEnd, attempt: chosenRun }
      : lost || undefined;
  const cooking = runs.filter((r) => r.attempt.timer);
  useRinging(
    cooking
      .filter((r) => leftS(r.attempt.timer?.endsAt as string, now) === 0)
      .map((r) => r.attempt.timer?.eventId as string),
  );
  const timerRuns =
    !!at?.attempt.timer && at.attempt.timer.stepId === state?.id && leftS(at.attempt.timer.endsAt, now) > 0;
  const missing = state ? (blocked.get(state.id) ?? []) : [];
  const check = acts.at(-1)?.question ? acts.at(-1) : undefined;
  // The card is about the act that its tap speaks of last; what the tap says besides stands before it.
  const shown = missing.length > 0 ? state : (check ?? batch.toStart ?? state);
  const besides = acts.slice(0, shown ? Math.max(0, acts.indexOf(shown)) : 0);
  // Nothing said is as the procedure says.
  const counted = state?.count && count.value > 0 ? count.value : null;
  const shared = together.length > 1 && state?.batch && !state.question;
  const free = !viewer && !over && missing.length === 0;

  // Two devices worked this end at once: what is taken back there, the crew lead takes back.
  const role = useSession().data?.person?.role;
  const leadSettles = role === "installer" && at?.end.state.conflict === true;
  // On a phone the answer that was tapped lies below the act that comes next.
  const shownAct = `${at?.end.endId} ${state?.id} ${over?.attempt.runId}`;
  // biome-ignore lint/correctness/useExhaustiveDependencies: the act that is shown, not what it is made of
  useEffect(() => {
    for (const part of [".hand .answers", ".hand .act"])
      document.querySelector(part)?.scrollIntoView({ block: "nearest" });
  }, [shownAct]);

  useAloud(
    !over && at && shown
      ? `${t("bench.strand", { number: at.end.strand.number })}. ${words(shown.act)}. ${check?.question ?? ""}`
      : "",
    cooking
      .filter((r) => leftS(r.attempt.timer?.endsAt as string, now) === 0)
      .map((r) => t("bench.aloudUp", { strand: r.end.strand.number })),
  );

  const leave = () => {
    count.clear();
    // A click leaves the focus on a button; the keys of the bench are to work again at once.
    if (document.activeElement instanceof HTMLButtonElement && clicked.current) document.activeElement.blur();
    if (chosen && at && chosen === at.end.endId && (state?.batch || together.length > 1)) onChoose(undefined);
  };
  const withSheet = (ends: number) => {
    if (!state?.count?.film) return null;
    const strokes = (counted ?? state.count.max) * ends;
    sheet.use(strokes);
    return { id: sheet.sheet.id, total: sheet.sheet.total + strokes, strokes, fresh: !sheet.sheet.known };
  };
  const done = (everybody: boolean) => {
    if (!free || !state || state.question || timerRuns) return;
    batch.done(everybody, counted, withSheet);
    leave();
  };
  const answer = (a: S["RunAnswer"]) => {
    if (!free || !check || timerRuns) return;
    batch.answer(a.id, counted, check.arcs > 0 ? spliceSaid(splice) : null);
    if (check.arcs > 0) setSplice(NO_SPLICE);
    leave();
  };
  const start = () => {
    batch.startTimer(counted);
    if (batch.toStart !== state) leave();
  };
  const who = over?.end.endId ?? chosen ?? batch.last ?? at?.end.endId;
  const lastSaid = useLastSaid(bench, who);
  const undo = async () => {
    if (leadSettles) return;
    if (await batch.undo(who)) {
      message.success(t("bench.undone"));
      if (who) onChoose(who);
    } else message.info(t("bench.nothingToUndo"));
  };
  const move = (by: number, by_: "strand" | "phase") => {
    const list =
      by_ === "strand"
        ? runs
        : [...runs].sort((a, b) => place(table, a.attempt.position.stateId) - place(table, b.attempt.position.stateId));
    const i = list.findIndex((r) => r.end.endId === (chosen ?? at?.end.endId));
    const next = list[i + by];
    if (next) onChoose(next.end.endId);
  };

  const clicked = useRef(false);
  const keys = useRef<(e: KeyboardEvent) => void>(() => {});
  keys.current = (e) => {
    const target = e.target as HTMLElement;
    if (target.closest("input,textarea,[role=combobox],[role=dialog]") || e.ctrlKey || e.metaKey || e.altKey) return;
    const onButton = target.closest("button,a") !== null;
    const pressed: Record<string, (() => void) | undefined> = {
      arrowright: () => move(1, "strand"),
      arrowleft: () => move(-1, "strand"),
      arrowdown: () => move(1, "phase"),
      arrowup: () => move(-1, "phase"),
      enter: onButton ? undefined : () => done(false),
      b: () => shared && done(true),
      " ": onButton || !free ? undefined : batch.toStart ? start : state?.count ? count.add : undefined,
      z: undo,
      "?": () => setHelp((h) => !h),
    };
    const byPedal = taught(e.key);
    const chosenAnswer = check?.answers[Number(byPedal?.startsWith("answer") ? byPedal.slice(6) : e.key) - 1];
    const run = chosenAnswer
      ? () => answer(chosenAnswer)
      : byPedal === "done"
        ? () => (shared ? done(true) : batch.toStart && !timerRuns ? start() : done(false))
        : byPedal === "next"
          ? () => move(1, "strand")
          : pressed[e.key.toLowerCase()];
    if (run && !e.defaultPrevented) {
      e.preventDefault();
      run();
    }
  };
  useEffect(() => {
    const listen = (e: KeyboardEvent) => keys.current(e);
    const pointer = (e: Event) => {
      clicked.current = e.type === "pointerdown";
    };
    window.addEventListener("keydown", listen);
    window.addEventListener("keydown", pointer, true);
    window.addEventListener("pointerdown", pointer, true);
    return () => {
      window.removeEventListener("keydown", listen);
      window.removeEventListener("keydown", pointer, true);
      window.removeEventListener("pointerdown", pointer, true);
    };
  }, []);

  return (
    <aside className="hand" aria-label={t("bench.title")}>
      <div className="row between">
        <b>{table?.title}</b>
        <span className="faint">
          {t("bench.madeOf", {
            made: runs.filter((r) => r.attempt.position.outcome === "finished").length,
            count: runs.length,
          })}
        </span>
      </div>
      {cooking.length > 0 && (
        <ul className="timers" aria-label={t("bench.timers")}>
          {cooking.map((r) => {
            const left = leftS(r.attempt.timer?.endsAt as string, now);
            return (
              <li key={r.end.endId}>
                <button type="button" className={left === 0 ? "up" : ""} onClick={() => onChoose(r.end.endId)}>
                  {r.end.strand.number} · {table?.states.find((s) => s.id === r.attempt.timer?.stepId)?.timer?.label}{" "}
                  {left === 0 ? t("bench.up") : clockText(left)}
                </button>
              </li>
            );
          })}
        </ul>
      )}
      {viewer && <p className="faint">{t("bench.viewer")}</p>}
      {over ? (
        <>
          <Jumper of={bench.jumper} cut={over.end.state.slackUsedMm > 0} />
          <Over key={over.attempt.runId} batch={batch} run={over} onChoose={onChoose} />
        </>
      ) : at && state && table ? (
        <>
          <Strand end={at.end} />
          <Jumper of={bench.jumper} cut={at.end.state.slackUsedMm > 0} />
          {at.end.state.conflict && <Alert type="error" showIcon title={t("bench.conflict")} />}
          <div className="faint">
            {t(`phase.${state.phase}`)} ·{" "}
            {t("bench.stepOf", { at: place(table, state.id) + 1, of: table.states.length })} ·{" "}
            {t("bench.attempt", { no: at.attempt.no })}
            {chosen && best?.strandId && best.strandId !== at.end.endId && (
              <>
                {" · "}
                <button type="button" className="link" onClick={() => onChoose(undefined)}>
                  {t("bench.best", { strand: runs.find((r) => r.end.endId === best.strandId)?.end.strand.number })}
                </button>
              </>
            )}
          </div>
          <Climbed run={at} table={table} />
          {besides.length > 0 && (
            <Besides
              acts={besides}
              table={table}
              end={at.end}
              onDone={viewer || timerRuns ? undefined : () => done(false)}
            />
          )}
          <p className="act">{words(shown?.act)}</p>
          {missing.length > 0 ? (
            <div className="blocked">
              <Alert type="warning" showIcon title={t("bench.blocked")} />
              <Preflight
                items={missing}
                answers={batch.answers}
                kit={bench.kit}
                table={table}
                now={now}
                timeZone={bench.timeZone}
                onSay={(a) => batch.preflight(a)}
              />
            </div>
          ) : (
            <>
              {shown?.timer && (
                <Clock
                  timer={at.attempt.timer?.stepId === shown.id ? at.attempt.timer : null}
                  spec={shown.timer}
                  now={now}
                  onStart={start}
                />
              )}
              <div className="answers">
                {!state.question && shared && (
                  <button type="button" className="main" onClick={() => done(true)}>
                    <kbd>B</kbd>
                    {t("bench.doneAll", { count: together.length })}
                  </button>
                )}
                {!check && !(batch.toStart && !timerRuns && shown !== state) && (
                  <button
                    type="button"
                    className={shared || batch.toStart ? "" : "main"}
                    disabled={viewer || timerRuns}
                    onClick={() => done(false)}
                  >
                    <kbd>Enter</kbd>
                    {shared ? t("bench.doneOne", { strand: at.end.strand.number }) : t("bench.done")}
                  </button>
                )}
                {check && (
                  <>
                    <b>{check.question}</b>
                    {check.splice && <SpliceRead limits={check.splice} value={splice} onChange={setSplice} />}
                    {check.once && together.length > 1 && (
                      <p className="faint">{t("bench.once", { count: together.length })}</p>
                    )}
                    {check.answers.map((a, i) => (
                      <button
                        type="button"
                        key={a.id}
                        className={`tone-${a.tone}`}
                        disabled={viewer || timerRuns}
                        onClick={() => answer(a)}
                      >
                        <kbd>{i + 1}</kbd>
                        {a.label}
                        <AnswerDrawing state={check} answer={a} />
                      </button>
                    ))}
                  </>
                )}
              </div>
              {shown && <Act state={shown} table={table} end={at.end} besides={besides} />}
              {state.count && (
                <Strokes
                  count={count}
                  sheet={sheet}
                  spec={state.count}
                  onFresh={() => {
                    if (sheet.sheet.known) batch.sheetDone(sheet.sheet.id);
                    sheet.fresh();
                  }}
                />
              )}
            </>
          )}
          {shown && hasNumber(shown) && <p className="faint small above">{t("bench.typical")}</p>}
        </>
      ) : best?.readyAt ? (
        <>
          <p className="act">{t("bench.handsFree")}</p>
          <div className="clock" role="timer">
            {clockText(leftS(best.readyAt, now))}
          </div>
        </>
      ) : (
        <Proof batch={batch} placeId={bench.placeId} />
      )}
      <div className="row noprint above">
        {!viewer && !leadSettles && (
          <Button onClick={undo}>{lastSaid ? t("bench.undoThat", { what: lastSaid }) : t("bench.undo")} (Z)</Button>
        )}
        <Button onClick={() => setHelp(!help)} aria-expanded={help}>
          {t("bench.keys")} (?)
        </Button>
      </div>
      {help && (
        <>
          <Keys />
          <HandsFree />
        </>
      )}
    </aside>
  );
}

/** The last thing that this device said of an end, in the words of the card. */
function useLastSaid(bench: S["PanelBench"], endId: string | undefined) {
  const words = useWords();
  const end = bench.ends.find((e) => e.endId === endId);
  const [step, setStep] = useState<Step>();
  // biome-ignore lint/correctness/useExhaustiveDependencies: each word of the end may be the last one
  useEffect(() => {
    if (endId) lastStep(endId).then(setStep);
  }, [endId, end?.state]);
  const run = end && current(end.state);
  const table = run && tableOf(bench.tables, run);
  if (!end || !table || !step?.stepId || step.endId !== endId) return undefined;
  const state = table.states.find((s) => s.id === step.stepId);
  const said = state?.answers.find((a) => a.id === step.answerId)?.label ?? words(state?.act);
  return said && `${end.strand.number} ${said}`;
}

/** Only what has a number can be other than the sheet says. */
const hasNumber = (s: S["RunState"]) =>
  s.dimensions.length > 0 || s.count !== null || s.timer !== null || s.strip?.notchMm != null;

const place = (table: S["RunTable"] | undefined, stateId: string | null) =>
  stateId === null ? 999 : (table?.states.findIndex((s) => s.id === stateId) ?? 999);

/** After a cut-off a jumper is shorter at both connectors of that end: whether it can still be delivered as it was ordered. */
function Jumper({ of, cut }: { of: S["JumperLength"] | null; cut: boolean }) {
  const { t } = useTranslation();
  const length = useLength();
  if (!of || (!cut && of.shortByMm === 0)) return null;
  const figures = { ordered: length(of.orderedMm), tolerance: length(of.toleranceMm), left: length(of.lengthMm) };
  return of.shortByMm > 0 ? (
    <Alert
      type="error"
      showIcon
      className="apart"
      title={t("bench.jumperShort", { ...figures, short: length(of.shortByMm) })}
    />
  ) : (
    <p className="faint">{t("bench.jumperLength", figures)}</p>
  );
}

function Strand({ end }: { end: S["EndView"] }) {
  const { t } = useTranslation();
  const length = useLength();
  return (
    <>
      <div className="row strandline">
        <StrandName strand={end.strand} />
        <span className="faint">
          {end.address} · {t(`form.${end.form}`)}/{end.polish}
        </span>
      </div>
      {end.slack.nearlyOut && (
        <Alert
          type="warning"
          showIcon
          className="apart"
          title={`${t("prep.nearlyOut")}: ${length(end.slack.leftMm)}, ${t("prep.cutOffsLeft", { count: end.slack.cutOffsLeft })}`}
        />
      )}
    </>
  );
}

/** Says where the line looped back to, what that cost and why, while the run still waits there. */
function Climbed({ run, table }: { run: { attempt: S["AttemptState"] }; table: S["RunTable"] }) {
  const { t } = useTranslation();
  const words = useWords();
  const length = useLength();
  const loop = run.attempt.loops.at(-1);
  const back = loop && table.ladders.flatMap((l) => l.uses).find((u) => u.act === loop.act)?.to;
  if (!loop || back !== run.attempt.position.stateId) return null;
  return (
    <Alert
      type="warning"
      showIcon
      className="apart"
      title={t("bench.climbed", { act: words(loop.act) })}
      description={t("bench.cost", { minutes: loop.minutes, slack: length(loop.slackMm) })}
    />
  );
}

/** What one tap says besides: one line each, and behind it how it is done. */
function Besides(props: { acts: S["RunState"][]; table: S["RunTable"]; end: S["EndView"]; onDone?: () => void }) {
  const { t } = useTranslation();
  const words = useWords();
  const [open, setOpen] = useState<string | null>(null);
  return (
    <section className="besides" aria-label={t("bench.besides")}>
      <p className="faint">{t("bench.besides")}</p>
      {props.acts.map((a, i) => (
        <details key={a.id} name="besides" onToggle={(e) => setOpen(e.currentTarget.open ? a.id : null)}>
          <summary>{words(a.act)}</summary>
          {open === a.id && <Act state={a} table={props.table} end={props.end} besides={[]} />}
          {open === a.id && i === 0 && props.onDone && (
            <Button onClick={props.onDone}>{t("bench.doneThis")} (Enter)</Button>
          )}
        </details>
      ))}
    </section>
  );
}

/** How an act is done: its drawing to its own figures, and what can hurt in it or in what is said with it. */
function Act({
  state,
  table,
  end,
  besides,
}: {
  state: S["RunState"];
  table: S["RunTable"];
  end: S["EndView"];
  besides: S["RunState"][];
}) {
  const { t } = useTranslation();
  const words = useWords();
  const length = useLength();
  const cautions = [...new Set([state, ...besides].flatMap((x) => x.caution ?? []))];
  return (
    <>
      <ActDrawing state={state} table={table} colour={end.strand.colour} form={end.form} />
      {state.detail && <p>{words(state.detail)}</p>}
      {(state.dimensions.length > 0 || state.strip?.notchMm != null) && (
        <div className="numbers">
          {state.strip?.notchMm != null && (
            <div>
              <b>{length(state.strip.notchMm)}</b>
              <span className="faint">{t("bench.notch")}</span>
            </div>
          )}
          {state.dimensions.map((d) => (
            <div key={d.id}>
              <b>
                {length(d.lengthMm, d.toleranceMm === null)}
                {d.toleranceMm !== null && ` ± ${length(d.toleranceMm)}`}
              </b>
              <span className="faint">
                {d.name}
                {d.basis ? `, ${t(`basis.${d.basis}`)}` : ""}
              </span>
            </div>
          ))}
        </div>
      )}
      {state.count?.what === "bites" && table.prep.bites && (
        <p>
          {t("prep.bites")}:{" "}
          {t("prep.bitesText", { five: table.prep.bites.inFiveMm, quarter: table.prep.bites.inQuarterInch })}
        </p>
      )}
      {cautions.map((c) => (
        <p key={c} className="caution">
          {t(`caution.${c}`)}
        </p>
      ))}
    </>
  );
}

/** A strand whose run is over: proven next, or given up and made again. */
function Over(props: {
  batch: Batch;
  run: { end: S["EndView"]; attempt: S["AttemptState"] };
  onChoose: (endId?: string) => void;
}) {
  const { t } = useTranslation();
  const words = useWords();
  const { batch, run, onChoose } = props;
  const { end, attempt } = run;
  const table = batch.table;
  const again = async () => {
    if (!table) return;
    const { drafts } = beginBatch([end], table, attempt.preflight);
    const drafted = drafts.map((d) => ({
      ...d,
      body: { ...(d.body as object), batchId: attempt.batchId ?? (d.body as { batchId: string }).batchId },
    }));
    if (await batch.say(drafted)) onChoose(end.endId);
  };
  const status = end.state.status ?? "planned";
  const say: Partial<Record<S["EndStatus"], string>> = {
    "to-remake": "givenUp",
    accepted: "accepted",
    "needs-decision": "decide",
  };
  return (
    <>
      <Strand end={end} />
      <p className="act">{t(`bench.${say[status] ?? "finished"}`)}</p>
      {status === "to-remake" && attempt.loops.length > 0 && <p>{words(attempt.loops.at(-1)?.act)}</p>}
      <div className="answers">
        {status === "to-remake" && table && !batch.viewer && (
          <button type="button" className="main" onClick={again}>
            {t("bench.start", { no: attempt.no + 1 })}
          </button>
        )}
        <button type="button" onClick={() => onChoose(undefined)}>
          {t("bench.backToBatch")}
        </button>
      </div>
      <p className="row above">
        <Link to={`/look/${end.endId}`}>{t("bench.toLook")}</Link>
        <Link to={`/measure/${end.endId}`}>{t("bench.toMeasure")}</Link>
        <Link to={`/prep/${end.endId}`}>{t("prep.title")}</Link>
        <Link to={`/handover/${end.endId}`}>{t("bench.toRecord")}</Link>
      </p>
    </>
  );
}

function Keys() {
  const { t } = useTranslation();
  const keys = [
    ["← →", "keyStrand"],
    ["↑ ↓", "keyPhase"],
    ["Enter", "keyDone"],
    ["B", "keyBatch"],
    ["1–6", "keyAnswer"],
    ["Space", "keySpace"],
    ["Z", "keyUndo"],
    ["?", "keyHelp"],
  ];
  return (
    <dl className="facts above">
      {keys.map(([key, name]) => (
        <div key={key} className="contents">
          <dt>{key}</dt>
          <dd>{t(`bench.${name}`)}</dd>
        </div>
      ))}
    </dl>
  );
}
