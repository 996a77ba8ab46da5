import { useTranslation } from "react-i18next";
import { Link } from "react-router";
import { useJobs } from "../../api/hooks";
import { Await, Grid, Nothing } from "../../ui/Parts";

export default function Jobs() {
  const { t } = useTranslation();
  const jobs = useJobs();
  return (
    <>
      <h1>{t("jobs.title")}</h1>
      <Await of={jobs}>
        {(list) =>
          list.length === 0 ? (
            <Nothing text={t("today.noJobs")} />
          ) : (
            <div className="card scroll">
              <Grid
                rowKey={(j) => j.jobId}
                rows={list}
                columns={[
                  { title: t("jobs.customer"), render: (j) => <Link to={`/jobs/${j.jobId}`}>{j.customer}</Link> },
                  { title: t("jobs.site"), render: (j) => j.site },
                  { title: t("jobs.due"), render: (j) => j.dueOn },
                  { title: t("jobs.crew"), render: (j) => j.crewName },
                  { title: t("jobs.limitSet"), render: (j) => j.limitSetId },
                  { title: t("jobs.progress"), right: true, render: (j) => `${j.accepted} / ${j.ends}` },
                ]}
              />
            </div>
          )
        }
      </Await>
    </>
  );
}
