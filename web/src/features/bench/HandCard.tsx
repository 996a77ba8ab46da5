import { useQueryClient } from "@tanstack/react-query";
import { Alert, App, Button } from "antd";
import { useEffect, useRef, useState } from "react";
import { useTranslation } from "react-i18next";
import { Link } from "react-router";
import { get, type S } from "../../api/client";
import { useEnd, useSession, useTable } from "../../api/hooks";
import { type Told, useLedger } from "../../offline/useLedger";
import { Await, StrandName } from "../../ui/Parts";
import { useLength, useWords } from "../../ui/settings";
import { Clock, Strokes, useCount, useTimer } from "./Counters";
import { advance, DONE, start } from "./walk";

type Props = { endId: string; onStep: (by: number) => void };

/** The one next act for one strand. */
export function HandCard({ endId, onStep }: Props) {
  const end = useEnd(endId);
  const table = useTable(end.data?.procedureId, end.data?.procedureVersion);
  const { t } = useTranslation();
  return (
    <aside className="hand" aria-label={t("bench.title")}>
      <Await of={end}>
        {(e) => (
          <>
            <div className="row" style={{ justifyContent: "space-between" }}>
              <b>{e.address}</b>
              <span className="faint">
                {t(`method.${e.method}`)} · {t(`form.${e.form}`)}/{e.polish}
              </span>
            </div>
            <StrandName strand={e.strand} />
            {e.procedureId ? (
              <Await of={table}>{(tb) => <Run end={e} table={tb} onStep={onStep} />}</Await>
            ) : (
              <p>{t("bench.noProcedure")}</p>
            )}
          </>
        )}
      </Await>
    </aside>
  );
}

function Run({ end, table, onStep }: { end: S["EndView"]; table: S["RunTable"]; onStep: (by: number) => void }) {
  const { t } = useTranslation();
  const length = useLength();
  const words = useWords();
  const tell = useLedger();
  const client = useQueryClient();
  const { message } = App.useApp();
  const role = useSession().data?.person?.role;
  const [busy, setBusy] = useState(false);
  const [help, setHelp] = useState(false);
  const open = end.state.attempts.filter(isOpen);
  const attempt = open.at(-1) ?? end.state.attempts.at(-1);
  const running = attempt && isOpen(attempt) && attempt.position.outcome === "running" ? attempt : undefined;
  const state = running && table.states.find((s) => s.id === running.position.stateId);
  const key = `${running?.runId}.${state?.id}`;
  const timer = useTimer(key, state?.timer?.durationS);
  const count = useCount(key);
  const lastRung = attempt?.loops.at(-1);
  const viewer = role === "viewer";

  // The next step shows at once; the ledger's own answer replaces it when it comes.
  // It does not wait for that answer: a quick hand is never ignored, and never counted twice for one step.
  const act = async (input: string) => {
    if (!running || !state || viewer) return;
    const now = client
      .getQueryData<S["EndView"]>(["end", end.endId])
      ?.state.attempts.find((a) => a.runId === running.runId);
    const move = now && advance(table, now.position, state.id, input);
    if (!move) return;
    const elapsedS = timer.elapsedS();
    const told: Told =
      input === DONE
        ? {
            endId: end.endId,
            attempt: running.no,
            kind: "step-done",
            body: { runId: running.runId, stepId: state.id, elapsedS, count: state.count ? count.value : null },
          }
        : {
            endId: end.endId,
            attempt: running.no,
            kind: "check-answered",
            body: { runId: running.runId, stepId: state.id, answerId: input, elapsedS, note: null },
          };
    const next = table.states.find((s) => s.id === move.position.stateId);
    // An answer of before that is still on its way must not put the screen back.
    client.cancelQueries({ queryKey: ["end", end.endId] });
    client.setQueryData<S["EndView"]>(
      ["end", end.endId],
      (old) =>
        old && {
          ...old,
          state: {
            ...old.state,
            attempts: old.state.attempts.map((a) =>
              a.runId === running.runId ? { ...a, position: move.position, phase: next?.phase ?? a.phase } : a,
            ),
          },
        },
    );
    timer.clear();
    count.clear();
    await tell(told);
  };

  const begin = async () => {
    if (busy || viewer) return;
    setBusy(true);
    await tell({
      endId: end.endId,
      attempt: (attempt?.no ?? 0) + 1,
      kind: "attempt-started",
      body: { procedureId: table.procedureId, procedureVersion: table.version },
    }).finally(() => setBusy(false));
  };

  const undo = async () => {
    if (busy || !attempt || viewer) return;
    setBusy(true);
    try {
      const record = await get<S["EndRecord"]>(`/api/ends/${end.endId}/record`);
      const last = record.entries
        .filter((e) => !e.struck && e.kind !== "corrected" && e.kind !== "noted" && e.attempt === attempt.no)
        .at(-1);
      if (!last || !["attempt-started", "step-done", "check-answered"].includes(last.kind))
        message.info(t("bench.nothingToUndo"));
      else {
        const done = await tell({
          endId: end.endId,
          attempt: last.attempt,
          kind: "corrected",
          body: { eventId: last.eventId, note: null },
        });
        if (done.ok) message.success(t("bench.undone"));
      }
    } finally {
      setBusy(false);
    }
  };

  const keys = useRef<(e: KeyboardEvent) => void>(() => {});
  keys.current = (e) => {
    const target = e.target as HTMLElement;
    if (target.closest("input,textarea,[role=combobox],[role=dialog]") || e.ctrlKey || e.metaKey || e.altKey) return;
    const onButton = target.closest("button,a") !== null;
    const answers = state?.answers ?? [];
    const pressed: Record<string, (() => void) | undefined> = {
      arrowright: () => onStep(1),
      arrowleft: () => onStep(-1),
      enter: onButton ? undefined : state ? () => !state.question && act(DONE) : canBegin ? begin : undefined,
      " ": onButton ? undefined : state?.timer ? timer.start : state?.count ? count.add : undefined,
      z: undo,
      "?": () => setHelp((h) => !h),
    };
    const answer = answers[Number(e.key) - 1];
    const run = answer ? () => act(answer.id) : pressed[e.key.toLowerCase()];
    if (run && !e.defaultPrevented) {
      e.preventDefault();
      run();
    }
  };
  useEffect(() => {
    const listen = (e: KeyboardEvent) => keys.current(e);
    window.addEventListener("keydown", listen);
    return () => window.removeEventListener("keydown", listen);
  }, []);

  const canBegin = !viewer && (end.state.status === "planned" || end.state.status === "to-remake");
  const index = state ? table.states.indexOf(state) : -1;
  return (
    <>
      {end.slack.nearlyOut && (
        <Alert
          type="warning"
          showIcon
          style={{ margin: "8px 0" }}
          title={`${t("prep.nearlyOut")}: ${length(end.slack.leftMm)}, ${t("prep.cutOffsLeft", { count: end.slack.cutOffsLeft })}`}
        />
      )}
      {end.state.conflict && <Alert type="error" showIcon title={t("bench.conflict")} />}
      {viewer && <p className="faint">{t("bench.viewer")}</p>}
      {state && running ? (
        <>
          <div className="faint">
            {t(`phase.${state.phase}`)} · {t("bench.stepOf", { at: index + 1, of: table.states.length })} ·{" "}
            {t("bench.attempt", { no: running.no })}
          </div>
          {lastRung && running.position.stateId === lastStepOf(table, lastRung) && (
            <Alert
              type="warning"
              showIcon
              style={{ margin: "6px 0" }}
              title={t("bench.climbed", { act: words(lastRung.act) })}
              description={t("bench.cost", { minutes: lastRung.minutes, slack: length(lastRung.slackMm) })}
            />
          )}
          <p className="act">{words(state.act)}</p>
          {state.detail && <p>{words(state.detail)}</p>}
          {state.dimensions.length > 0 && (
            <div className="numbers">
              {state.dimensions.map((d) => (
                <div key={d.id}>
                  <b>
                    {length(d.lengthMm, d.toleranceMm === null)}
                    {d.toleranceMm !== null && ` ± ${length(d.toleranceMm)}`}
                  </b>
                  <span className="faint">{d.name}</span>
                </div>
              ))}
            </div>
          )}
          {state.count && state.count.what === "bites" && table.prep.bites && (
            <p>
              {t("prep.bites")}:{" "}
              {t("prep.bitesText", { five: table.prep.bites.inFiveMm, quarter: table.prep.bites.inQuarterInch })}
            </p>
          )}
          {state.caution && <p className="caution">{t(`caution.${state.caution}`)}</p>}
          {state.timer && <Clock timer={timer} spec={state.timer} />}
          {state.count && <Strokes count={count} spec={state.count} />}
          <div className="answers">
            {state.question ? (
              <>
                <b>{state.question}</b>
                {state.answers.map((a, i) => (
                  <button
                    type="button"
                    key={a.id}
                    className={`tone-${a.tone}`}
                    disabled={viewer}
                    onClick={() => act(a.id)}
                  >
                    <kbd>{i + 1}</kbd>
                    {a.label}
                  </button>
                ))}
              </>
            ) : (
              <button
                type="button"
                className="main"
                disabled={viewer || (state.timer !== null && timer.runs)}
                onClick={() => act(DONE)}
              >
                <kbd>Enter</kbd>
                {t("bench.done")}
              </button>
            )}
          </div>
          <p className="faint" style={{ fontSize: 14, marginTop: 10 }}>
            {t("bench.typical")}
          </p>
        </>
      ) : (
        <>
          <p className="act">
            {end.state.status === "planned"
              ? table.title
              : end.state.status === "to-remake"
                ? t("bench.givenUp")
                : end.state.status === "accepted"
                  ? t("bench.accepted")
                  : end.state.status === "needs-decision"
                    ? t("bench.decide")
                    : t("bench.finished")}
          </p>
          {end.state.status === "to-remake" && lastRung && <p>{words(lastRung.act)}</p>}
          <div className="answers">
            {canBegin && (
              <button type="button" className="main" disabled={busy} onClick={begin}>
                <kbd>Enter</kbd>
                {attempt ? t("bench.start", { no: attempt.no + 1 }) : t("bench.startFirst")}
              </button>
            )}
          </div>
          <p className="row" style={{ marginTop: 14 }}>
            {end.state.status === "to-look" && <Link to={`/look/${end.endId}`}>{t("bench.toLook")}</Link>}
            {end.state.status === "to-measure" && <Link to={`/measure/${end.endId}`}>{t("bench.toMeasure")}</Link>}
            <Link to={`/prep/${end.endId}`}>{t("prep.title")}</Link>
            <Link to={`/handover/${end.endId}`}>{t("bench.toRecord")}</Link>
          </p>
        </>
      )}
      <div className="row noprint" style={{ marginTop: 10 }}>
        {attempt && !viewer && (
          <Button onClick={undo} disabled={busy}>
            {t("bench.undo")} (Z)
          </Button>
        )}
        <Button onClick={() => setHelp(!help)} aria-expanded={help}>
          {t("bench.keys")} (?)
        </Button>
      </div>
      {help && (
        <dl className="facts" style={{ marginTop: 8, fontSize: 16 }}>
          <dt>← →</dt>
          <dd>{t("bench.keyStrand")}</dd>
          <dt>Enter</dt>
          <dd>{t("bench.keyDone")}</dd>
          <dt>1–4</dt>
          <dd>{t("bench.keyAnswer")}</dd>
          <dt>Space</dt>
          <dd>{t("bench.keySpace")}</dd>
          <dt>Z</dt>
          <dd>{t("bench.keyUndo")}</dd>
          <dt>?</dt>
          <dd>{t("bench.keyHelp")}</dd>
        </dl>
      )}
    </>
  );
}

export const isOpen = (a: S["AttemptState"]) => a.closed === null && a.position.outcome !== "given-up";

/** The step that the last rung went back to, while the run still waits there. */
function lastStepOf(table: S["RunTable"], loop: S["Loop"]) {
  const rung = table.ladders.flatMap((l) => l.uses).find((u) => u.act === loop.act);
  return rung?.to ?? start(table).stateId;
}
