import { useQueryClient } from "@tanstack/react-query";
import { Button, DatePicker, Form, Input, Select } from "antd";
import dayjs from "dayjs";
import { useEffect } from "react";
import { useTranslation } from "react-i18next";
import { useNavigate, useParams } from "react-router";
import { post, put, type S } from "../../api/client";
import { useCrews, useJob, useJobs, useLimits, useSession } from "../../api/hooks";
import { Await, Pick, useFault } from "../../ui/Parts";
import { Layout } from "./Layout";

const NEW = "new";

/** From the customer's name to connectors on strands, top to bottom. */
export default function Plan() {
  const { t } = useTranslation();
  const { jobId } = useParams();
  const jobs = useJobs();
  const navigate = useNavigate();
  const job = useJob(jobId);
  return (
    <>
      <h1>{t("plan.title")}</h1>
      <div className="row card">
        <Pick
          label={t("plan.chooseJob")}
          width={420}
          value={jobId ?? NEW}
          options={[
            { value: NEW, label: t("plan.newJob") },
            ...(jobs.data ?? []).map((j) => ({ value: j.jobId, label: `${j.customer} · ${j.site}` })),
          ]}
          onChange={(v) => navigate(!v || v === NEW ? "/plan" : `/plan/${v}`)}
        />
      </div>
      {jobId ? (
        <Await of={job}>
          {(d) => (
            <>
              <JobForm key={d.job.jobId} job={d.job} />
              <Layout detail={d} />
            </>
          )}
        </Await>
      ) : (
        <>
          <JobForm />
          <p className="faint">{t("plan.first")}</p>
        </>
      )}
    </>
  );
}

function JobForm({ job }: { job?: S["Job"] }) {
  const { t } = useTranslation();
  const [form] = Form.useForm();
  const person = useSession().data?.person;
  const crews = useCrews();
  const limits = useLimits();
  const client = useQueryClient();
  const navigate = useNavigate();
  const fault = useFault();
  useEffect(() => {
    form.setFieldsValue(
      job
        ? { ...job, dueOn: dayjs(job.dueOn) }
        : {
            timeZone: Intl.DateTimeFormat().resolvedOptions().timeZone,
            dueOn: dayjs().add(14, "day"),
            limitSetId: "tia-568.3-d",
            crewId: person?.crewId ?? undefined,
          },
    );
  }, [job, form, person]);
  const save = async (v: Record<string, unknown>) => {
    const body = { ...v, crewId: v.crewId ?? null, dueOn: (v.dueOn as dayjs.Dayjs).format("YYYY-MM-DD") };
    try {
      if (job) await put(`/api/jobs/${job.jobId}`, body);
      else {
        const made = await post<S["Made"]>("/api/jobs", body);
        navigate(`/plan/${made.id}`);
      }
      await client.invalidateQueries();
    } catch (e) {
      fault(e, form);
    }
  };
  const zones = Intl.supportedValuesOf("timeZone").map((z) => ({ value: z, label: z }));
  return (
    <section className="card">
      <h2>{t("plan.job")}</h2>
      <Form name="job" form={form} layout="vertical" onFinish={save}>
        <div className="cols">
          <Form.Item name="customer" label={t("plan.customer")} rules={[{ required: true }]}>
            <Input />
          </Form.Item>
          <Form.Item name="site" label={t("plan.site")} rules={[{ required: true }]}>
            <Input />
          </Form.Item>
          <Form.Item name="dueOn" label={t("plan.due")} rules={[{ required: true }]}>
            <DatePicker style={{ width: "100%" }} />
          </Form.Item>
          <Form.Item name="timeZone" label={t("plan.timeZone")} rules={[{ required: true }]}>
            <Select showSearch options={[{ value: "UTC", label: "UTC" }, ...zones]} />
          </Form.Item>
          <Form.Item name="limitSetId" label={t("plan.limitSet")} rules={[{ required: true }]}>
            <Select options={(limits.data?.loss ?? []).map((l) => ({ value: l.id, label: l.edition }))} />
          </Form.Item>
          <Form.Item name="crewId" label={t("plan.crew")} rules={[{ required: true }]}>
            <Select
              disabled={person?.role === "lead"}
              options={(crews.data ?? []).map((c) => ({ value: c.crewId, label: c.name }))}
            />
          </Form.Item>
        </div>
        <Button type="primary" htmlType="submit">
          {t("plan.saveJob")}
        </Button>
      </Form>
    </section>
  );
}
