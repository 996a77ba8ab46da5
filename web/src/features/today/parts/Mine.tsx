import { Button } from "antd";
import { useTranslation } from "react-i18next";
import { Link } from "react-router";
import type { S } from "../../../api/client";
import { spans } from "../../../domain/spans";
import { siteTime } from "../../../ui/settings";
import { CannotBegin } from "./InTheWay";

/** What the hands go on with: the batch under way, else the next panel. One button, the rest is small. */
export function Mine({ today }: { today: S["TodayView"] }) {
  const { t } = useTranslation();
  const [first, ...others] = today.batches;
  const [panel, ...panels] = today.next;
  const jobOf = (jobId: string) => today.jobs.find((j) => j.job.jobId === jobId)?.job;
  const job = jobOf((first ?? panel)?.jobId ?? "") ?? today.jobs[0]?.job;
  if (!first && !panel) return null;
  return (
    <section className="card mine">
      {first ? (
        <>
          <Link to={at(first)}>
            <Button type="primary" size="large" className="wideButton">
              {t("today.continue", {
                method: t(`method.${first.method}`),
                place: first.address.split(":")[0],
                strands: spans(first.strands),
              })}
            </Button>
          </Link>
          <p className="faint above">
            <Where batch={first} />
          </p>
        </>
      ) : (
        panel && (
          <Link to={`/bench/${panel.jobId}/${panel.placeId}`}>
            <Button type="primary" size="large" className="wideButton">
              <Begin panel={panel} />
            </Button>
          </Link>
        )
      )}
      {others.length > 0 && (
        <>
          <h3>{t("today.otherBatches")}</h3>
          <ul className="list">
            {others.slice(0, 5).map((b) => (
              <li key={b.batchId ?? b.endId}>
                <Link to={at(b)}>
                  {b.address.split(":")[0]}, {spans(b.strands)}
                </Link>{" "}
                <span className="faint">
                  <Where batch={b} />
                </span>
              </li>
            ))}
          </ul>
        </>
      )}
      {(first ? today.next : panels).length > 0 && (
        <>
          <h3>{t("today.next")}</h3>
          <ul className="list">
            {(first ? today.next : panels).slice(0, 4).map((p) => (
              <li key={`${p.placeId}${p.method}`}>
                <Link to={`/bench/${p.jobId}/${p.placeId}`}>
                  <Begin panel={p} />
                </Link>{" "}
                {p.mine > 0 && <span className="faint">{t("today.given", { count: p.mine })}</span>}
              </li>
            ))}
          </ul>
        </>
      )}
      {job && <CannotBegin job={job} panel={first ? undefined : panel} />}
    </section>
  );
}

const at = (b: S["TodayBatch"]) => `/bench/${b.jobId}/${b.placeId}`;

function Begin({ panel: p }: { panel: S["TodayPanel"] }) {
  const { t } = useTranslation();
  return (
    <span className="clip">
      {t("today.begin", {
        count: p.ends,
        method: t(`method.${p.method}`),
        place: [p.place, p.spaceName].filter(Boolean).join(", "),
      })}
    </span>
  );
}

function Where({ batch: b }: { batch: S["TodayBatch"] }) {
  const { t } = useTranslation();
  const up = b.timerEndsAt && Date.parse(b.timerEndsAt) <= Date.now();
  return (
    <>
      {[
        t(`method.${b.method}`),
        t("bench.strandsIn", { count: b.strands.length }),
        b.timerEndsAt && (up ? t("today.timerUp") : t("today.timer", { time: siteTime(b.timerEndsAt) })),
      ]
        .filter(Boolean)
        .join(" · ")}
    </>
  );
}
