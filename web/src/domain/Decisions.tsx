import { useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import { useTranslation } from "react-i18next";
import { Link } from "react-router";
import { type S, stale } from "../api/client";
import { useContainersOff, useEnd, useQuarantineCauses, useSession } from "../api/hooks";
import { useLedger } from "../offline/useLedger";
import { Await } from "../ui/Parts";
import { siteTime } from "../ui/settings";
import { ContainerOff } from "./ContainerOff";
import { DecisionCard, WaitingText } from "./DecisionCard";
import { Refused } from "./Refused";
import { StatusMark } from "./Verdict";

/** What waits for a decision, one row per cause, with why, since when and by whom; each is decided where it is seen. */
export function Decisions({ waiting, quiet }: { waiting: S["TodayWaiting"][]; quiet?: boolean }) {
  const { t } = useTranslation();
  const [open, setOpen] = useState<string | null>(null);
  const role = useSession().data?.person?.role;
  const plans = role === "lead" || role === "office";
  const causes = useQuarantineCauses(plans).data ?? [];
  const containers = useContainersOff().data ?? [];
  const tell = useLedger();
  const client = useQueryClient();
  const close = () => setOpen(null);
  const row = (id: string, head: ReactNode, body: () => ReactNode) => (
    <li key={id}>
      <button
        type="button"
        className="plain"
        aria-expanded={open === id}
        onClick={() => setOpen(open === id ? null : id)}
      >
        {head}
      </button>
      {open === id && body()}
    </li>
  );
  const nothing = waiting.length + causes.length + containers.length === 0;
  if (nothing && quiet) return null;
  return (
    <section className="card">
      <h2>{t("today.decisions")}</h2>
      {nothing ? (
        <p className="faint">{t("today.nothingWaits")}</p>
      ) : (
        <ul className="list">
          {waiting.map(({ end, why, byName }) =>
            row(
              end.endId,
              <>
                <b>{end.address}</b>{" "}
                {why ? <WaitingText why={why} /> : <StatusMark status={end.status} verdict={end.verdict} />}
                <span className="faint">
                  {[end.customer, why && siteTime(why.since), byName].filter(Boolean).join(" · ")}
                </span>
              </>,
              () => <Opened endId={end.endId} byName={byName} onDecided={close} />,
            ),
          )}
          {containers.map((c) =>
            row(
              c.batch.id,
              <>
                <b>{c.place}</b>{" "}
                {t(c.batch.off < 0 ? "container.missing" : "container.tooMany", { count: Math.abs(c.batch.off) })}
                <span className="faint">
                  {[c.customer, c.crewName, t("bench.strandsIn", { count: c.ends })].join(" · ")}
                </span>
              </>,
              () => (
                <>
                  <ContainerOff
                    batch={c.batch}
                    say={async (drafts) => {
                      await tell(...drafts);
                      await stale(client, "/api/batches/off");
                    }}
                  />
                  <Link to={`/bench/${c.jobId}/${c.placeId}`}>{t("rail.bench")}</Link>
                </>
              ),
            ),
          )}
          {causes.map((c) =>
            row(
              `${c.code} ${c.field} ${c.senderId}`,
              <>
                <b>{t("rework.refused", { count: c.events })}</b> {c.reason}
                <span className="faint">{[c.senderName, siteTime(c.lastAt)].join(" · ")}</span>
              </>,
              () => <Refused cause={c} onDecided={close} />,
            ),
          )}
        </ul>
      )}
    </section>
  );
}

function Opened({ endId, byName, onDecided }: { endId: string; byName: string | null; onDecided: () => void }) {
  const end = useEnd(endId);
  return <Await of={end}>{(e) => <DecisionCard end={e} byName={byName} onDecided={onDecided} />}</Await>;
}
