import { useTranslation } from "react-i18next";
import { Link, useParams } from "react-router";
import { useJob, useSession } from "../../api/hooks";
import { Await } from "../../ui/Parts";
import { Checklist } from "./Checklist";
import { HandedOver } from "./HandedOver";
import { JobLinks } from "./JobLinks";
import { JobPhotos } from "./JobPhotos";
import { Letterhead } from "./Letterhead";
import { Papers } from "./Papers";

/** Handing one job over: what to look at before, the paper, the handover itself, and the customer's link. */
export default function JobHandover() {
  const { t } = useTranslation();
  const { jobId = "" } = useParams();
  const job = useJob(jobId);
  const role = useSession().data?.person?.role;
  return (
    <Await of={job}>
      {(d) => (
        <>
          <h1 className="clip">
            {t("handOver.title")} <span className="faint">· {[d.job.customer, d.job.site].join(" · ")}</span>
          </h1>
          <p className="row">
            <Link to={`/handover?jobId=${jobId}`}>{t("handOver.ends")}</Link>
            <Link to={`/jobs/${jobId}`}>{t("handOver.job")}</Link>
            <Link to={`/handover/job/${jobId}/labels`}>{t("handOver.labels")}</Link>
          </p>
          <Checklist jobId={jobId} />
          <Papers job={d} />
          <JobPhotos job={d} />
          <HandedOver job={d} />
          <JobLinks jobId={jobId} />
          {role === "office" && <Letterhead />}
          <p className="law">{t("app.law")}</p>
        </>
      )}
    </Await>
  );
}
