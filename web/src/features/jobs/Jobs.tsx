import { Button } from "antd";
import { useDeferredValue, useState } from "react";
import { useTranslation } from "react-i18next";
import { Link } from "react-router";
import type { S } from "../../api/client";
import { useJobPages, useSession } from "../../api/hooks";
import { Await, Find, Grid, Nothing } from "../../ui/Parts";
import { dayText } from "../../ui/settings";
import { CarryIn } from "./CarryIn";

/** Every job: open ones first, newest due first. */
export default function Jobs() {
  const { t } = useTranslation();
  const [typed, setTyped] = useState("");
  const find = useDeferredValue(typed.trim()) || undefined;
  const jobs = useJobPages(find);
  const role = useSession().data?.person?.role;
  const seesCrews = role !== "viewer";
  return (
    <>
      <h1>{t("jobs.title")}</h1>
      <Find label={t("jobs.find")} value={typed} onChange={setTyped} />
      <Await of={jobs}>
        {(pages) =>
          pages.pages[0]?.length === 0 ? (
            <>
              <Nothing text={t(find ? "jobs.noneFound" : "jobs.none")} />
              {role === "office" && !find && <CarryIn />}
            </>
          ) : (
            <div className="card">
              <Grid
                rowKey={(j) => j.jobId}
                rows={pages.pages.flat()}
                columns={[
                  {
                    title: t("jobs.customer"),
                    render: (j) => (
                      <Link className="clip" to={`/jobs/${j.jobId}`} title={j.customer}>
                        {j.customer}
                      </Link>
                    ),
                  },
                  { title: t("jobs.site"), render: (j) => j.site },
                  { title: t("jobs.due"), render: (j) => dayText(j.dueOn) },
                  ...(seesCrews ? [{ title: t("jobs.crew"), render: (j: S["Job"]) => j.crewName }] : []),
                  { title: t("jobs.limitSet"), render: (j) => j.limitSetId },
                  {
                    title: t("jobs.progress"),
                    right: true,
                    render: (j) => `${j.accepted} / ${j.ends}${j.finished ? ` · ${t("jobs.finished")}` : ""}`,
                  },
                ]}
              />
              {jobs.hasNextPage && <Button onClick={() => jobs.fetchNextPage()}>{t("app.more")}</Button>}
            </div>
          )
        }
      </Await>
    </>
  );
}
