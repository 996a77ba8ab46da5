import { useTranslation } from "react-i18next";
import { Link } from "react-router";
import type { S } from "../../../api/client";
import { dayText, dB } from "../../../ui/settings";

/** A job as its customer asks for it: how much is proven, where, and by how much it keeps its limits. */
export function Proven({ at }: { at: S["TodayJob"] }) {
  const { t } = useTranslation();
  const { job, proven } = at;
  return (
    <section className="card">
      <h2 className="ellipsis">
        <Link to={`/jobs/${job.jobId}`}>{job.customer}</Link>
      </h2>
      <p>
        {job.site} · {t("today.due", { date: dayText(job.dueOn) })}
      </p>
      <div className="bar" aria-hidden="true">
        <i style={{ width: `${job.ends ? (100 * job.accepted) / job.ends : 0}%` }} />
      </div>
      <p>
        <b>{t("today.proven", { accepted: job.accepted, ends: job.ends })}</b>
      </p>
      <ul className="list">
        {proven.map((s) => (
          <li key={s.space}>
            {s.space || t("today.noSpace")}: {t("today.proven", { accepted: s.accepted, ends: s.ends })}
            {s.worstLossDb !== null && s.worstLimitDb !== null && (
              <span className="faint">
                {" "}
                · {t("today.closest", { loss: dB(s.worstLossDb), limit: dB(s.worstLimitDb) })}
              </span>
            )}
          </li>
        ))}
      </ul>
      <Link to={`/handover?jobId=${job.jobId}`}>{t("jobs.openRecords")}</Link>
    </section>
  );
}
