import { Button } from "antd";
import { useTranslation } from "react-i18next";
import { Link } from "react-router";
import type { S } from "../../api/client";
import { useSession, useToday } from "../../api/hooks";
import { Decisions } from "../../domain/Decisions";
import { FirstSteps } from "../../domain/FirstSteps";
import { Await, Nothing } from "../../ui/Parts";
import { Blocks } from "./parts/InTheWay";
import { JobAtHand } from "./parts/JobAtHand";
import { Mine } from "./parts/Mine";
import { Planned } from "./parts/Planned";
import { Proven } from "./parts/Proven";

/** What is mine, what is next, will it be done. */
export default function Today() {
  const { t } = useTranslation();
  const today = useToday();
  const role = useSession().data?.person?.role;
  return (
    <>
      <h1>{t("today.title")}</h1>
      <Await of={today}>
        {(now) => (
          <>
            {now.jobs.length === 0 ? (
              <Empty role={role} />
            ) : role === "viewer" ? (
              <div className="cols">
                {now.jobs.map((j) => (
                  <Proven key={j.job.jobId} at={j} />
                ))}
              </div>
            ) : role === "installer" ? (
              <Installer now={now} />
            ) : (
              <>
                <div className="cols wide">
                  {role === "lead" && <Mine today={now} />}
                  {role === "lead" && <Planned />}
                  <Decisions waiting={now.waiting} />
                </div>
                <div className="cols wide">
                  {now.jobs.map((j) => (
                    <JobAtHand key={j.job.jobId} at={j} looms={role === "lead"} />
                  ))}
                </div>
              </>
            )}
          </>
        )}
      </Await>
      <p className="row">
        <Link to="/jobs">{t("today.allJobs")}</Link>
        {role !== "viewer" && <Link to="/hours">{t("hours.title")}</Link>}
      </p>
    </>
  );
}

function Installer({ now }: { now: S["TodayView"] }) {
  const { t } = useTranslation();
  return (
    <>
      <Mine today={now} />
      <Planned />
      {now.batches.length === 0 && now.next.length === 0 && <Nothing text={t("today.nothingToDo")} />}
      {now.jobs
        .filter((j) => j.blocks.length > 0)
        .map((j) => (
          <section className="card" key={j.job.jobId}>
            <h2>
              {t("block.title")} <span className="faint">{j.job.customer}</span>
            </h2>
            <Blocks job={j.job} blocks={j.blocks} />
          </section>
        ))}
      <Decisions waiting={now.waiting} quiet />
    </>
  );
}

function Empty({ role }: { role?: S["Role"] }) {
  const { t } = useTranslation();
  if (role === "office") return <FirstSteps />;
  return (
    <Nothing text={t(role === "lead" ? "today.noJobsLead" : "today.noJobs")}>
      {role === "lead" && (
        <Link to="/plan">
          <Button type="primary">{t("today.newJob")}</Button>
        </Link>
      )}
    </Nothing>
  );
}
