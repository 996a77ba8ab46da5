import { Table } from "antd";
import { useTranslation } from "react-i18next";
import { Link } from "react-router";
import type { S } from "../../api/client";
import { useJobs } from "../../api/hooks";
import { Await, Nothing } from "../../ui/Parts";

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
              <Table<S["Job"]>
                rowKey="jobId"
                dataSource={list}
                pagination={false}
                columns={[
                  {
                    title: t("jobs.customer"),
                    key: "c",
                    render: (_, j) => <Link to={`/jobs/${j.jobId}`}>{j.customer}</Link>,
                  },
                  { title: t("jobs.site"), dataIndex: "site" },
                  { title: t("jobs.due"), dataIndex: "dueOn" },
                  { title: t("jobs.crew"), dataIndex: "crewName" },
                  { title: t("jobs.limitSet"), dataIndex: "limitSetId" },
                  {
                    title: t("jobs.progress"),
                    key: "p",
                    align: "right",
                    render: (_, j) => `${j.accepted} / ${j.ends}`,
                  },
                ]}
              />
            </div>
          )
        }
      </Await>
    </>
  );
}
