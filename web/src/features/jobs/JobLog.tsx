import { Button, Form, Input, InputNumber, Select } from "antd";
import { useTranslation } from "react-i18next";
import { api, type S } from "../../api/client";
import { useLedger } from "../../offline/useLedger";
import { Await, useChoices } from "../../ui/Parts";
import { siteTime } from "../../ui/settings";

const REASONS = ["no-access", "material", "tool", "power", "weather", "other-trades", "safety", "other"];

/** What became of a job beside its connectors: what held it up, and what was handed over. */
export function JobLog({ job, role }: { job: S["Job"]; role?: S["Role"] }) {
  const { t } = useTranslation();
  const options = useChoices();
  const tell = useLedger();
  const [delay] = Form.useForm();
  const [over] = Form.useForm();
  const log = api.useQuery("get", "/api/jobs/{jobId}/log", { params: { path: { jobId: job.jobId } } });
  const of = { stream: "job" as const, streamId: job.jobId };
  return (
    <section className="card">
      <h2>{t("joblog.title")}</h2>
      <Await of={log}>
        {(l) => (
          <ul className="list">
            {l.delays.map((d) => (
              <li key={d.eventId}>
                {siteTime(d.at, job.timeZone)} · <b>{t(`delay.${d.reason}`)}</b>
                {d.minutes !== null && ` · ${d.minutes} min`} {d.note}
              </li>
            ))}
            {l.handovers.map((h) => (
              <li key={h.eventId}>
                {siteTime(h.at, job.timeZone)} · <b>{t("joblog.handedTo", { to: h.to })}</b> {h.note}
              </li>
            ))}
          </ul>
        )}
      </Await>
      {role !== "viewer" && (
        <details>
          <summary>{t("joblog.sayDelay")}</summary>
          <Form
            form={delay}
            name="delay"
            layout="vertical"
            initialValues={{ reason: REASONS[0] }}
            onFinish={async (v) => {
              const body = { reason: v.reason, minutes: v.minutes ?? null, dueOn: null, note: v.note || null };
              if ((await tell({ ...of, kind: "delayed", body })).ok) delay.resetFields();
            }}
          >
            <div className="row">
              <Form.Item name="reason" label={t("joblog.reason")}>
                <Select className="w-m" options={options("delay", REASONS)} />
              </Form.Item>
              <Form.Item name="minutes" label={t("joblog.minutes")}>
                <InputNumber min={0} precision={0} className="w-xs" />
              </Form.Item>
              <Form.Item name="note" label={t("joblog.note")}>
                <Input className="w-l" />
              </Form.Item>
              <Form.Item label=" ">
                <Button htmlType="submit">{t("joblog.sayDelay")}</Button>
              </Form.Item>
            </div>
          </Form>
        </details>
      )}
      {(role === "lead" || role === "office") && (
        <details>
          <summary>{t("joblog.handOver")}</summary>
          <Form
            form={over}
            name="hand-over"
            layout="vertical"
            onFinish={async (v) => {
              const body = { to: v.to, endIds: null, note: v.note || null };
              if ((await tell({ ...of, kind: "handed-over", body })).ok) over.resetFields();
            }}
          >
            <div className="row">
              <Form.Item name="to" label={t("joblog.to")} rules={[{ required: true, max: 120 }]}>
                <Input className="w-l" />
              </Form.Item>
              <Form.Item name="note" label={t("joblog.note")}>
                <Input className="w-l" />
              </Form.Item>
              <Form.Item label=" ">
                <Button htmlType="submit">{t("joblog.handOver")}</Button>
              </Form.Item>
            </div>
          </Form>
        </details>
      )}
    </section>
  );
}
