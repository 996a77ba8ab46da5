import { useQueryClient } from "@tanstack/react-query";
import { Button, Form, Input, Select } from "antd";
import dayjs from "dayjs";
import { useCallback, useEffect, useState } from "react";
import { useTranslation } from "react-i18next";
import { useNavigate, useParams } from "react-router";
import { ApiError, answered, http, type S } from "../../api/client";
import { useCrews, useJob, useLimits, useSession } from "../../api/hooks";
import { Both } from "../../domain/Both";
import { JobPick } from "../../domain/JobPick";
import { DayField } from "../../ui/DayField";
import { Await, useFault } from "../../ui/Parts";
import { Layout } from "./Layout";
import { PlanFile } from "./PlanFile";

const NEW = "new";

/** From the customer's name to connectors on strands, top to bottom. */
export default function Plan() {
  const { t } = useTranslation();
  const { jobId } = useParams();
  const navigate = useNavigate();
  const job = useJob(jobId);
  return (
    <>
      <h1>{t("plan.title")}</h1>
      <div className="row card">
        <JobPick
          label={t("plan.chooseJob")}
          room="xxl"
          value={jobId ?? NEW}
          first={{ value: NEW, label: t("plan.newJob") }}
          onChange={(v) => navigate(!v || v === NEW ? "/plan" : `/plan/${v}`)}
        />
      </div>
      {jobId ? (
        <Await of={job}>
          {(d) => (
            <>
              <JobForm key={d.job.jobId} job={d.job} />
              {d.mayPlan && <PlanFile key={`file-${d.job.jobId}`} jobId={d.job.jobId} />}
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

const shared = ["number", "customer", "site", "dueOn", "timeZone", "limitSetId", "faceLimitSetId", "crewId"] as const;

const words = {
  number: "number",
  faceLimitSetId: "faceLimits",
  customer: "customer",
  site: "site",
  dueOn: "due",
  timeZone: "timeZone",
  limitSetId: "limitSet",
  crewId: "crew",
} as const;

function JobForm({ job }: { job?: S["Job"] }) {
  const { t } = useTranslation();
  const [form] = Form.useForm();
  const person = useSession().data?.person;
  const crews = useCrews();
  const limits = useLimits();
  const client = useQueryClient();
  const navigate = useNavigate();
  const fault = useFault();
  // The version that the form shows: what somebody else saves meanwhile never replaces what is being typed.
  const [seen, setSeen] = useState(job?.version);
  const show = useCallback(
    (j: S["Job"]) => {
      form.setFieldsValue(j);
      form.setFields(shared.map((name) => ({ name, touched: false })));
      setSeen(j.version);
    },
    [form],
  );
  useEffect(() => {
    if (job && !form.isFieldsTouched()) show(job);
  }, [job, form, show]);
  useEffect(() => {
    if (job || form.isFieldsTouched()) return;
    form.setFieldsValue({
      timeZone: Intl.DateTimeFormat().resolvedOptions().timeZone,
      dueOn: dayjs().add(14, "day").format("YYYY-MM-DD"),
      limitSetId: "tia-568.3-d",
      crewId: person?.crewId ?? undefined,
    });
  }, [job, form, person]);
  const [theirs, setTheirs] = useState<S["Job"] | null>(null);
  const save = async (v: Record<string, unknown>, onVersion?: number) => {
    const body = {
      ...v,
      crewId: v.crewId ?? null,
      number: v.number || null,
      faceLimitSetId: v.faceLimitSetId ?? null,
    };
    try {
      if (job) {
        const changed = { ...body, version: onVersion ?? seen } as never;
        show(await answered(http.PUT("/api/jobs/{jobId}", { params: { path: job }, body: changed })));
      } else {
        const made = await answered(http.POST("/api/jobs", { body: body as never }));
        navigate(`/plan/${made.id}`);
      }
      setTheirs(null);
      await client.invalidateQueries();
    } catch (e) {
      if (e instanceof ApiError && e.problem.code === "changed-meanwhile") setTheirs(e.problem.current as S["Job"]);
      else fault(e, form);
    }
  };
  const word = (field: (typeof shared)[number], v: unknown) =>
    field === "crewId" ? (crews.data?.find((c) => c.crewId === v)?.name ?? "") : String(v ?? "");
  const zones = Intl.supportedValuesOf("timeZone").map((z) => ({ value: z, label: z }));
  return (
    <section className="card">
      <h2>{t("plan.job")}</h2>
      <Form name="job" form={form} layout="vertical" onFinish={(v) => save(v)}>
        <div className="cols">
          <Form.Item name="number" label={t("plan.number")}>
            <Input />
          </Form.Item>
          <Form.Item name="customer" label={t("plan.customer")} rules={[{ required: true }]}>
            <Input />
          </Form.Item>
          <Form.Item name="site" label={t("plan.site")} rules={[{ required: true }]}>
            <Input />
          </Form.Item>
          <Form.Item name="dueOn" label={t("plan.due")} rules={[{ required: true }]}>
            <DayField className="w-full" />
          </Form.Item>
          <Form.Item name="timeZone" label={t("plan.timeZone")} rules={[{ required: true }]}>
            <Select showSearch options={[{ value: "UTC", label: "UTC" }, ...zones]} />
          </Form.Item>
          <Form.Item name="limitSetId" label={t("plan.limitSet")} rules={[{ required: true }]}>
            <Select options={(limits.data?.loss ?? []).map((l) => ({ value: l.id, label: l.edition }))} />
          </Form.Item>
          <Form.Item name="faceLimitSetId" label={t("plan.faceLimits")}>
            <Select
              allowClear
              placeholder={t("plan.faceInForce")}
              options={(limits.data?.endFace ?? []).map((l) => ({ value: l.id, label: l.edition }))}
            />
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
      {theirs && (
        <Both
          title={t("plan.bothTitle")}
          rows={shared.map((field) => ({
            what: t(`plan.${words[field]}`),
            mine: word(field, form.getFieldValue(field)),
            theirs: word(field, theirs[field]),
          }))}
          onMine={() => save(form.getFieldsValue(), theirs.version)}
          onTheirs={() => {
            setTheirs(null);
            show(theirs);
            void client.invalidateQueries();
          }}
        />
      )}
    </section>
  );
}
