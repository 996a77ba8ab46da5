import { useQueryClient } from "@tanstack/react-query";
import { Button, Form, InputNumber, Select } from "antd";
import { useTranslation } from "react-i18next";
import { http, type S } from "../../api/client";
import { useAssignments } from "../../api/hooks";
import { placesOf } from "../../domain/places";
import { Await, Grid, useFault } from "../../ui/Parts";
import { siteTime } from "../../ui/settings";
import { CrewPerson } from "./CrewPerson";

type Fields = { placeId: string; fromPort?: number; toPort?: number; crewId: string; personId?: string };

/** Who works what, apart from who plans the job; what was given before stays in the list. */
export function Assign({ detail }: { detail: S["JobDetail"] }) {
  const { t } = useTranslation();
  const { jobId, timeZone } = detail.job;
  const [form] = Form.useForm<Fields>();
  const client = useQueryClient();
  const fault = useFault();
  const lines = useAssignments(jobId);
  const places = placesOf(detail);
  const give = async (v: Fields) => {
    try {
      await http.POST("/api/jobs/{jobId}/assignments", { params: { path: { jobId } }, body: v });
      form.resetFields(["fromPort", "toPort"]);
      await client.invalidateQueries();
    } catch (e) {
      fault(e, form);
    }
  };
  return (
    <section className="card">
      <h2>{t("assign.title")}</h2>
      <p className="faint">{t("assign.hint")}</p>
      <Form name="assign" form={form} layout="vertical" onFinish={give} initialValues={{ crewId: detail.job.crewId }}>
        <div className="row">
          <Form.Item name="placeId" label={t("assign.place")} rules={[{ required: true }]}>
            <Select
              showSearch={{ optionFilterProp: "label" }}
              className="w-m"
              options={places.map((p) => ({ value: p.placeId, label: p.label }))}
            />
          </Form.Item>
          <Form.Item name="fromPort" label={t("assign.fromPort")}>
            <InputNumber min={1} precision={0} className="w-xs" />
          </Form.Item>
          <Form.Item name="toPort" label={t("assign.toPort")}>
            <InputNumber min={1} precision={0} className="w-xs" />
          </Form.Item>
          <CrewPerson form={form} required />
          <Form.Item label=" ">
            <Button htmlType="submit">{t("assign.give")}</Button>
          </Form.Item>
        </div>
      </Form>
      <Await of={lines}>
        {(list) => (
          <Grid
            rowKey={(l) => `${l.placeId}${l.since}${l.crewName}${l.personName}${l.fromPort}`}
            rows={list}
            columns={[
              {
                title: t("assign.place"),
                render: (l) =>
                  `${places.find((p) => p.placeId === l.placeId)?.label}:${l.fromPort}${l.toPort > l.fromPort ? `–${l.toPort}` : ""}`,
              },
              { title: t("assign.to"), render: (l) => [l.crewName, l.personName].filter(Boolean).join(" · ") },
              {
                title: t("assign.since"),
                render: (l) => (l.since ? `${siteTime(l.since, timeZone)} · ${l.givenBy ?? ""}` : t("assign.planned")),
              },
              {
                title: t("assign.still"),
                right: true,
                render: (l) => t("assign.of", { still: l.stillHeld, ends: l.ends }),
              },
            ]}
          />
        )}
      </Await>
    </section>
  );
}
