import { useState } from "react";
import { useTranslation } from "react-i18next";
import type { S } from "../api/client";
import { useEnd } from "../api/hooks";
import { Await } from "../ui/Parts";
import { siteTime } from "../ui/settings";
import { DecisionCard, WaitingText } from "./DecisionCard";
import { StatusMark } from "./Verdict";

/** What waits for a decision, with why, since when and by whom; each is decided where it is seen. */
export function Decisions({ waiting }: { waiting: S["TodayWaiting"][] }) {
  const { t } = useTranslation();
  const [open, setOpen] = useState<string | null>(null);
  return (
    <section className="card">
      <h2>{t("today.decisions")}</h2>
      {waiting.length === 0 ? (
        <p className="faint">{t("today.nothingWaits")}</p>
      ) : (
        <ul className="list">
          {waiting.map(({ end, why, byName }) => (
            <li key={end.endId}>
              <button
                type="button"
                className="plain"
                aria-expanded={open === end.endId}
                onClick={() => setOpen(open === end.endId ? null : end.endId)}
              >
                <b>{end.address}</b>{" "}
                {why ? <WaitingText why={why} /> : <StatusMark status={end.status} verdict={end.verdict} />}
                <span className="faint">
                  {[end.customer, why && siteTime(why.since), byName].filter(Boolean).join(" · ")}
                </span>
              </button>
              {open === end.endId && <Opened endId={end.endId} byName={byName} onDecided={() => setOpen(null)} />}
            </li>
          ))}
        </ul>
      )}
    </section>
  );
}

function Opened({ endId, byName, onDecided }: { endId: string; byName: string | null; onDecided: () => void }) {
  const end = useEnd(endId);
  return <Await of={end}>{(e) => <DecisionCard end={e} byName={byName} onDecided={onDecided} />}</Await>;
}
