import { Button } from "antd";
import { useTranslation } from "react-i18next";
import { Link } from "react-router";
import type { S } from "../../../api/client";
import { strandIn, useLoom } from "../../../api/hooks";
import { JobSteps } from "../../../domain/JobSteps";
import { Loom } from "../../../domain/Loom";
import { PaceText } from "../../../domain/PaceText";
import { dayText } from "../../../ui/settings";
import { Blocks, CannotBegin } from "./InTheWay";

/** A job as who plans it asks for it: numbers that add up, pace, what stands in the way, its panels at a glance. */
export function JobAtHand({ at, looms }: { at: S["TodayJob"]; looms: boolean }) {
  const { t } = useTranslation();
  const { job, outlook, blocks, places } = at;
  return (
    <section className="card">
      <h2 className="ellipsis">
        <Link to={`/jobs/${job.jobId}`}>{job.customer}</Link>
      </h2>
      <p>{[job.site, t("today.due", { date: dayText(job.dueOn) }), job.crewName].filter(Boolean).join(" · ")}</p>
      <JobSteps job={job} />
      {outlook && <PaceText outlook={outlook} dueOn={job.dueOn} />}
      {blocks.length > 0 && (
        <>
          <h3>{t("block.title")}</h3>
          <Blocks job={job} blocks={blocks} />
        </>
      )}
      {looms && places.length > 0 && <Panels jobId={job.jobId} places={places} />}
      <div className="row above">
        <Link to={`/bench/${job.jobId}`}>
          <Button>{t("today.goBench")}</Button>
        </Link>
        <Link to={`/plan/${job.jobId}`}>{t("jobs.openPlan")}</Link>
      </div>
      <CannotBegin job={job} />
    </section>
  );
}

function Panels({ jobId, places }: { jobId: string; places: S["PlaceCount"][] }) {
  const { t } = useTranslation();
  const loom = useLoom(jobId).data;
  const shown = places.filter((p, i) => places.findIndex((x) => x.placeId === p.placeId) === i);
  if (!loom) return null;
  return (
    <div className="panels">
      {shown.map((p) => (
        <Link key={p.placeId} to={`/bench/${jobId}/${p.placeId}`}>
          <span className="faint">{[p.place, p.spaceName].filter(Boolean).join(" · ")}</span>
          <Loom
            small
            height={84}
            ends={loom.ends.filter((e) => e.placeId === p.placeId)}
            strandOf={(e) => strandIn(loom, e.endId)}
            label={`${t("bench.loomLabel")}, ${p.place}`}
          />
        </Link>
      ))}
    </div>
  );
}
