import { useQueryClient } from "@tanstack/react-query";
import { App, Button, Checkbox, Form, Input } from "antd";
import { useTranslation } from "react-i18next";
import { Link } from "react-router";
import { http, type S } from "../../api/client";
import { useLedger } from "../../offline/useLedger";
import { Await, useFault } from "../../ui/Parts";
import { siteTime } from "../../ui/settings";
import { papersStale, useHandover } from "./api";
import { Files } from "./Papers";

type Fields = { to: string; note?: string; pictures: boolean; photos: boolean };

/** The handover itself: signed for by name, with a paper of its own; and what has changed since the last. */
export function HandedOver({ job }: { job: S["JobDetail"] }) {
  const { t } = useTranslation();
  const { jobId, timeZone } = job.job;
  const handover = useHandover(jobId);
  const tell = useLedger();
  const client = useQueryClient();
  const fault = useFault();
  const { message } = App.useApp();
  const [form] = Form.useForm<Fields>();
  const paper = (eventId: string, pictures: boolean, photos: boolean) =>
    http
      .POST("/api/jobs/{jobId}/dossiers", {
        params: { path: { jobId } },
        body: {
          edition: "customer",
          names: false,
          pictures,
          exceptionsOnly: false,
          photos,
          spaceIds: null,
          placeIds: null,
          handover: eventId,
        },
      })
      .then(() => papersStale(client));
  const handOver = async (v: Fields) => {
    const body = { to: v.to.trim(), endIds: null, note: v.note?.trim() || null };
    const told = await tell({ stream: "job", streamId: jobId, kind: "handed-over", body });
    if (!told.ok) return;
    form.resetFields();
    try {
      const { data } = await http.GET("/api/jobs/{jobId}/handover", { params: { path: { jobId } } });
      const last = data?.handovers[0];
      if (last && !last.paper) await paper(last.eventId, v.pictures, v.photos);
      message.success(t("handOver.done"));
    } catch (e) {
      // The handover itself is written; its paper can be made from the list.
      fault(e);
    }
    await papersStale(client);
  };
  return (
    <section className="card" aria-label={t("handOver.hand")}>
      <h2>{t("handOver.hand")}</h2>
      <Form
        form={form}
        name="hand-over"
        layout="vertical"
        initialValues={{ pictures: true, photos: false }}
        onFinish={handOver}
      >
        <div className="row">
          <Form.Item name="to" label={t("handOver.to")} rules={[{ required: true, whitespace: true, max: 120 }]}>
            <Input className="w-l" autoComplete="off" />
          </Form.Item>
          <Form.Item name="note" label={t("handOver.note")} rules={[{ max: 2000 }]}>
            <Input className="w-l" />
          </Form.Item>
          <Form.Item name="pictures" label=" " valuePropName="checked">
            <Checkbox>{t("paper.pictures")}</Checkbox>
          </Form.Item>
          <Form.Item name="photos" label=" " valuePropName="checked">
            <Checkbox>{t("paper.photos")}</Checkbox>
          </Form.Item>
          <Form.Item label=" ">
            <Button type="primary" htmlType="submit">
              {t("handOver.sign")}
            </Button>
          </Form.Item>
        </div>
      </Form>
      <Await of={handover}>
        {(h) => (
          <>
            {h.sinceLast && h.sinceLast.length > 0 && (
              <details>
                <summary>{t("handOver.sinceLast", { count: h.sinceLast.length })}</summary>
                <ul>
                  {h.sinceLast.map((c) => (
                    <li key={c.endId}>
                      <Link className="address" to={`/handover/${c.endId}`}>
                        {c.address}
                      </Link>{" "}
                      {c.changes.map((x) => t(`change.${x}`)).join(", ")}
                    </li>
                  ))}
                </ul>
              </details>
            )}
            {h.sinceLast?.length === 0 && <p className="faint">{t("handOver.nothingSince")}</p>}
            <ul className="list papers">
              {h.handovers.map((x) => (
                <li key={x.eventId} className="row between">
                  <span>
                    <b>{t("handOver.no", { no: x.no, to: x.to })}</b>{" "}
                    {x.proven !== null && t("handOver.provenOf", { proven: x.proven, planned: x.planned })}
                    {x.changed !== null && ` · ${t("handOver.changed", { count: x.changed })}`}
                    <br />
                    <span className="faint">
                      {t("handover.by", { name: x.by, time: siteTime(x.at, timeZone) })} {x.note}
                    </span>
                  </span>
                  {x.paper?.stage === "done" ? (
                    <Files paper={x.paper} />
                  ) : x.paper && x.paper.stage !== "failed" && x.paper.stage !== "stopped" ? (
                    <span className="faint">{t("paper.drawing")}</span>
                  ) : (
                    <Button onClick={() => paper(x.eventId, true, false).catch(fault)}>
                      {t("handOver.makePaper")}
                    </Button>
                  )}
                </li>
              ))}
            </ul>
          </>
        )}
      </Await>
    </section>
  );
}
