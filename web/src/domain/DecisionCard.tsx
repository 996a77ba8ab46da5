import { Alert, App, Select } from "antd";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import { Link } from "react-router";
import type { S } from "../api/client";
import { isOpen } from "../engine/project";
import { useLedger } from "../offline/useLedger";
import { choices, useChoices } from "../ui/Parts";
import { dB, siteTime, useLength, useWords } from "../ui/settings";
import { AcceptOver } from "./AcceptOver";
import { Ailment, NextText } from "./Ailment";
import { Settle } from "./Settle";
import { VerdictText } from "./VerdictText";

/** Why an end waits, in one line: what was found, and the limit that it broke. */
export function WaitingText({ why }: { why: S["Waiting"] }) {
  const { t } = useTranslation();
  return (
    <>
      {t(`waiting.${why.for}`, {
        loss: dB(why.valueDb ?? 0),
        nm: why.wavelengthNm,
        limit: dB(why.limitDb ?? 0),
        what: why.finding ? t(`finding.${why.finding.kind}`) : "",
        zone: why.finding?.zone,
        size: why.finding ? Math.round(why.finding.sizeUm * 10) / 10 : "",
      })}
    </>
  );
}

/** One end that a person has to decide: the evidence, what is advised and why, and what each way costs. The same wherever it is met. */
export function DecisionCard({
  end,
  byName,
  onDecided,
}: {
  end: S["EndView"];
  byName?: string | null;
  onDecided?: () => void;
}) {
  const { t } = useTranslation();
  const words = useWords();
  const length = useLength();
  const options = useChoices();
  const tell = useLedger();
  const { message } = App.useApp();
  const { advice, waiting } = end;
  const [reason, setReason] = useState<string | undefined>(advice?.reason ?? undefined);
  const backs = end.rework.filter((c) => c.kind === "back");
  const [stepId, setStep] = useState<string | null>(
    (backs.find((c) => c.stepId === advice?.stepId) ?? backs.find((c) => c.onLadder))?.stepId ?? null,
  );
  const run = end.state.attempts.filter(isOpen).at(-1);
  const clean = end.rework.find((c) => c.kind === "clean");
  const back = backs.find((c) => c.stepId === stepId);
  const cutOff = end.rework.find((c) => c.kind === "cut-off");
  const say = async (kind: S["EventKind"], body: object, said: string) => {
    if (!run) return;
    const done = await tell({
      endId: end.endId,
      attempt: run.no,
      kind,
      body: { runId: run.runId, note: null, ...body },
    });
    if (!done.ok) return;
    message.success(t(said));
    onDecided?.();
  };
  const cost = (c: S["ReworkChoice"]) =>
    [
      t("look.minutes", { count: c.minutes }),
      c.kind === "cut-off" && t("decide.part"),
      c.slackMm > 0 && t("decide.slack", { slack: length(c.slackMm), left: length(c.leftMm) }),
    ]
      .filter(Boolean)
      .join(" · ");
  const ways: [S["ReworkChoice"] | undefined, string, () => void][] = [
    [clean, t("look.cleaned"), () => say("reworked", { reason, stepId: null }, "look.saved")],
    [
      back,
      t("decide.backTo", { act: words(back?.act ?? "") }),
      () => say("reworked", { reason, stepId }, "look.saved"),
    ],
    [cutOff, t("look.cutOff"), () => say("attempt-closed", { reason, cutOff: true }, "look.closed")],
  ];
  return (
    <section className="card decision" aria-label={t("decide.of", { end: end.address })}>
      <h2>{t("look.next")}</h2>
      {waiting && (
        <p>
          <b className="tone-bad">
            <WaitingText why={waiting} />
          </b>{" "}
          <span className="faint">{[siteTime(waiting.since, end.timeZone), byName].filter(Boolean).join(" · ")}</span>
        </p>
      )}
      {waiting?.for === "face" && run?.inspection && (
        <>
          {run.inspection.picture && (
            <img
              className="evidence small"
              src={`/api/pictures/${run.inspection.picture.pictureId}`}
              alt={t("look.kept")}
              loading="lazy"
            />
          )}
          <VerdictText verdict={run.inspection.verdict} />
        </>
      )}
      {advice && (
        <p>
          {advice.next ? (
            <NextText next={advice.next} />
          ) : (
            <>
              <b>{t("decide.advice")}</b> {t(`because.${advice.because}`)}
            </>
          )}
        </p>
      )}
      {waiting && !["conflict", "damage"].includes(waiting.for) && <Ailment endId={end.endId} />}
      {waiting?.for === "conflict" && <Settle end={end} onDecided={onDecided} />}
      {clean && cutOff && (
        <>
          <div className="row middle">
            <span className="faint">{t("look.reason")}</span>
            <Select
              aria-label={t("look.reason")}
              className="w-l"
              placeholder={t("look.reason")}
              value={reason}
              options={options("reason", choices.reason)}
              onChange={setReason}
            />
          </div>
          <div className="answers">
            {ways.map(
              ([c, label, onTap]) =>
                c && (
                  <button
                    key={c.kind}
                    type="button"
                    className={c.kind === advice?.kind ? "main" : ""}
                    disabled={!reason || !c.allowed}
                    onClick={onTap}
                  >
                    <span>
                      {label}
                      <small>{cost(c)}</small>
                    </span>
                  </button>
                ),
            )}
          </div>
          {backs.length > (back ? 1 : 0) && (
            <details>
              <summary>{t("decide.otherStep")}</summary>
              <Select
                aria-label={t("look.backTo")}
                className="w-full"
                value={stepId}
                options={backs.map((c) => ({
                  value: c.stepId,
                  label: `${words(c.act ?? "")} · ${t("look.minutes", { count: c.minutes })}`,
                }))}
                onChange={setStep}
              />
            </details>
          )}
          {!cutOff.allowed && <p className="faint">{t("look.leadCuts")}</p>}
          {end.slack.cutOffsLeft < 1 && <Alert type="error" showIcon title={t("bench.outOfSlack")} />}
        </>
      )}
      {waiting?.for === "marginal-loss" && run && <AcceptOver end={end} run={run} onDecided={onDecided} />}
      {waiting && (
        <p className="row noprint">
          {(waiting.for === "loss" || waiting.for === "marginal-loss") && (
            <Link to={`/measure/${end.endId}`}>{t("decide.measureAgain")}</Link>
          )}
          {waiting.for === "trace" && <Link to={`/measure/${end.endId}?how=trace`}>{t("bench.toMeasure")}</Link>}
          {waiting.for === "face" && <Link to={`/look/${end.endId}`}>{t("bench.toLook")}</Link>}
          <Link to={`/handover/${end.endId}`}>{t("bench.toRecord")}</Link>
        </p>
      )}
    </section>
  );
}
