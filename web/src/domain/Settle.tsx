import { Button } from "antd";
import { useTranslation } from "react-i18next";
import type { S } from "../api/client";
import { useRecord, useSession, useTable } from "../api/hooks";
import { isOpen } from "../engine/project";
import { useLedger } from "../offline/useLedger";
import { dB, siteTime, useWords } from "../ui/settings";

/** Two devices worked an end at once: both runs side by side, or what another device said of the one. One of them counts; all of it is kept. */
export function Settle({ end, onDecided }: { end: S["EndView"]; onDecided?: () => void }) {
  const { t } = useTranslation();
  const tell = useLedger();
  const role = useSession().data?.person?.role;
  const open = end.state.attempts.filter(isOpen);
  const entries = useRecord(end.endId).data?.entries ?? [];
  const mine = (a: S["AttemptState"]) =>
    entries.filter((e) => e.eventId === a.runId || (e.body as { runId?: string }).runId === a.runId);
  const by = (a: S["AttemptState"]) => entries.find((e) => e.eventId === a.runId)?.actorName ?? "";
  const counts = async (run: S["AttemptState"]) => {
    const others = open.filter((a) => a.runId !== run.runId);
    const done = await tell(
      ...others.map((a) => ({
        endId: end.endId,
        attempt: a.no,
        kind: "attempt-closed" as const,
        body: { runId: a.runId, reason: "other", cutOff: false, note: t("settle.note", { name: by(run) }) },
      })),
    );
    if (done.ok) onDecided?.();
  };
  return (
    <>
      {open.map((a) => (
        <Strays key={a.runId} end={end} attempt={a} />
      ))}
      {open.length > 1 && (
        <ul className="list">
          {open.map((a) => {
            const said = mine(a).filter((e) => !e.struck);
            return (
              <li key={a.runId} className="row between">
                <span>
                  <b>{t("settle.run", { no: a.no, name: by(a) })}</b>{" "}
                  <span className="faint">
                    {siteTime(a.startedAt, end.timeZone)} · {t("settle.said", { count: said.length })} ·{" "}
                    {t(`status.${a.status ?? "planned"}`)}
                  </span>
                  {a.losses.map((l) => (
                    <span key={l.eventId}>
                      {" "}
                      · {dB(l.judgement.lossDb)} dB, {l.judgement.wavelengthNm} nm
                    </span>
                  ))}
                </span>
                {role !== "installer" && (
                  <Button onClick={() => counts(a)}>{t("settle.counts", { name: by(a) })}</Button>
                )}
              </li>
            );
          })}
        </ul>
      )}
      {role === "installer" && <p className="faint">{t("because.lead-settles")}</p>}
    </>
  );
}

/** What another device said of a run meanwhile: kept, and not counted. */
export function Strays({ end, attempt }: { end: S["EndView"]; attempt: S["AttemptState"] }) {
  const { t } = useTranslation();
  const tell = useLedger();
  const table = useTable(attempt.procedureId, attempt.procedureVersion, attempt.schools);
  const words = useWords();
  const role = useSession().data?.person?.role;
  if (attempt.strays.length === 0) return null;
  // The last one first: each rests on those before it.
  const setAside = () =>
    tell(
      ...[...attempt.strays].reverse().map((s) => ({
        endId: end.endId,
        attempt: attempt.no,
        kind: "corrected" as const,
        body: { eventId: s.eventId, note: t("handover.strayNote") },
      })),
    );
  return (
    <div>
      <p>{t("handover.strays", { count: attempt.strays.length + attempt.moreStrays })}</p>
      <ul>
        {attempt.strays.map((s) => (
          <li key={s.eventId}>
            {siteTime(s.at, end.timeZone)} · {words(table.data?.states.find((x) => x.id === s.stepId)?.act ?? s.stepId)}
            : {s.input}
          </li>
        ))}
      </ul>
      {(role === "lead" || role === "office") && <Button onClick={setAside}>{t("handover.setStraysAside")}</Button>}
    </div>
  );
}
