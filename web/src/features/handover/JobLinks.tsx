import { useQueryClient } from "@tanstack/react-query";
import { App, Button, Form, Input, InputNumber } from "antd";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import { api, http, type S, stale } from "../../api/client";
import { Dialog } from "../../ui/Dialog";
import { Await, Grid, useFault } from "../../ui/Parts";
import { siteTime } from "../../ui/settings";
import { useLinks } from "./api";

type Fields = { name: string; days: number };

/** How often a link was opened; opened itself, when and by what. */
function Opened({ jobId, link }: { jobId: string; link: S["JobLink"] }) {
  const { t } = useTranslation();
  const [shown, show] = useState(false);
  const { linkId } = link;
  const openings = api.useQuery(
    "get",
    "/api/jobs/{jobId}/links/{linkId}/openings",
    { params: { path: { jobId, linkId } } },
    { enabled: shown },
  );
  if (!link.openedAt) return t("link.never");
  return (
    <details onToggle={(e) => show(e.currentTarget.open)}>
      <summary>{t("link.openedAt", { count: link.opened, time: siteTime(link.openedAt) })}</summary>
      <ul>
        {(openings.data ?? []).map((o) => (
          <li key={o.at}>
            {siteTime(o.at)}, {o.device}, {o.address}
          </li>
        ))}
      </ul>
    </details>
  );
}

/** Links that let a customer look without an account: made, shown once, revoked. */
export function JobLinks({ jobId }: { jobId: string }) {
  const { t } = useTranslation();
  const links = useLinks(jobId);
  const client = useQueryClient();
  const fault = useFault();
  const { message } = App.useApp();
  const [form] = Form.useForm<Fields>();
  const [made, setMade] = useState<string | null>(null);
  const again = () => stale(client, "/api/jobs/{jobId}/links");
  const make = async (v: Fields) => {
    try {
      const { data } = await http.POST("/api/jobs/{jobId}/links", { params: { path: { jobId } }, body: v });
      form.resetFields();
      setMade(data?.address ?? null);
      await again();
    } catch (e) {
      fault(e, form);
    }
  };
  const revoke = (linkId: string) =>
    http
      .DELETE("/api/jobs/{jobId}/links/{linkId}", { params: { path: { jobId, linkId } } })
      .then(again)
      .catch(fault);
  return (
    <section className="card" aria-label={t("link.title")}>
      <h2>{t("link.title")}</h2>
      <p className="faint">{t("link.text")}</p>
      <Form form={form} name="link" layout="vertical" initialValues={{ days: 30 }} onFinish={make}>
        <div className="row">
          <Form.Item name="name" label={t("link.for")} rules={[{ required: true, whitespace: true, max: 80 }]}>
            <Input className="w-l" autoComplete="off" />
          </Form.Item>
          <Form.Item name="days" label={t("link.days")} rules={[{ required: true }]}>
            <InputNumber min={1} max={400} precision={0} className="w-xs" />
          </Form.Item>
          <Form.Item label=" ">
            <Button htmlType="submit">{t("link.make")}</Button>
          </Form.Item>
        </div>
      </Form>
      <Await of={links}>
        {(list) =>
          list.length > 0 && (
            <Grid
              rowKey={(l) => l.linkId}
              rows={list}
              columns={[
                { title: t("link.for"), render: (l) => l.name },
                { title: t("link.madeBy"), render: (l) => `${l.madeBy}, ${siteTime(l.madeAt)}` },
                { title: t("link.until"), render: (l) => siteTime(l.expiresAt) },
                {
                  title: t("link.opened"),
                  render: (l) => <Opened jobId={jobId} link={l} />,
                },
                {
                  title: t("link.revoke"),
                  render: (l) =>
                    l.revokedAt ? (
                      t("link.revoked", { time: siteTime(l.revokedAt) })
                    ) : (
                      <Button aria-label={`${t("link.revoke")}: ${l.name}`} onClick={() => revoke(l.linkId)}>
                        {t("link.revoke")}
                      </Button>
                    ),
                },
              ]}
            />
          )
        }
      </Await>
      <Dialog
        open={made !== null}
        title={t("link.once")}
        onCancel={() => setMade(null)}
        footer={[
          <Button
            key="copy"
            type="primary"
            onClick={() =>
              navigator.clipboard
                ?.writeText(made ?? "")
                .then(() => message.success(t("link.copied")))
                .catch(() => {})
            }
          >
            {t("link.copy")}
          </Button>,
          <Button key="close" onClick={() => setMade(null)}>
            {t("app.close")}
          </Button>,
        ]}
      >
        <p>{t("link.onceText")}</p>
        <Input.TextArea readOnly aria-label={t("link.address")} value={made ?? ""} onFocus={(e) => e.target.select()} />
      </Dialog>
    </section>
  );
}
