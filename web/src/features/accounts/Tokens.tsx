import { useQueryClient } from "@tanstack/react-query";
import { Button, Form, Input, Select } from "antd";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import { http, type S, stale } from "../../api/client";
import { useAtHand, useCrews, useTokens } from "../../api/hooks";
import { Dialog } from "../../ui/Dialog";
import { Await, Grid, useChoices, useFault } from "../../ui/Parts";
import { siteTime } from "../../ui/settings";

type Fields = { name: string; role: S["Role"]; crewId?: string; jobIds?: string[] };

/** Tokens for scripts: made, shown once, revoked. */
export function Tokens() {
  const { t } = useTranslation();
  const tokens = useTokens();
  const crews = useCrews();
  const jobs = useAtHand();
  const client = useQueryClient();
  const fault = useFault();
  const options = useChoices();
  const [form] = Form.useForm<Fields>();
  const role = Form.useWatch("role", form);
  const [made, setMade] = useState<string | null>(null);
  const make = async (v: Fields) => {
    try {
      const { data } = await http.POST("/api/tokens", {
        body: { name: v.name, role: v.role, crewId: v.crewId ?? null, jobIds: v.jobIds ?? null },
      });
      form.resetFields();
      setMade(data?.token ?? null);
      await stale(client, "/api/tokens");
    } catch (e) {
      fault(e, form);
    }
  };
  const revoke = (tokenId: string) =>
    http
      .DELETE("/api/tokens/{tokenId}", { params: { path: { tokenId } } })
      .then(() => stale(client, "/api/tokens"))
      .catch(fault);
  const jobName = (id: string) => {
    const job = jobs.data?.find((j) => j.jobId === id);
    return job ? `${job.customer} · ${job.site}` : t("office.otherJob");
  };
  return (
    <>
      <h1>{t("office.scripts")}</h1>
      <p className="faint">{t("office.scriptsText")}</p>
      <section className="card narrow">
        <h2>{t("office.newToken")}</h2>
        <Form form={form} layout="vertical" onFinish={make} requiredMark={false}>
          <Form.Item name="name" label={t("office.tokenName")} rules={[{ required: true }]}>
            <Input autoComplete="off" />
          </Form.Item>
          <Form.Item name="role" label={t("office.may")} rules={[{ required: true }]}>
            <Select options={options("tokenRole", ["viewer", "installer", "lead"])} />
          </Form.Item>
          {role && (
            <Form.Item
              name="jobIds"
              label={t(role === "viewer" ? "office.jobs" : "office.onlyJobs")}
              rules={[{ required: role === "viewer" }]}
            >
              <Select
                mode="multiple"
                optionFilterProp="label"
                options={(jobs.data ?? []).map((j) => ({ value: j.jobId, label: jobName(j.jobId) }))}
              />
            </Form.Item>
          )}
          {(role === "installer" || role === "lead") && (
            <Form.Item name="crewId" label={t("account.crew")} rules={[{ required: true }]}>
              <Select options={(crews.data ?? []).map((c) => ({ value: c.crewId, label: c.name }))} />
            </Form.Item>
          )}
          <Button type="primary" htmlType="submit">
            {t("office.makeToken")}
          </Button>
        </Form>
      </section>
      <section className="card">
        <h2>{t("office.tokens")}</h2>
        <Await of={tokens}>
          {(list) => (
            <Grid
              rowKey={(k) => k.tokenId}
              rows={list}
              empty={t("office.noTokens")}
              columns={[
                { title: t("office.tokenName"), render: (k) => k.name },
                { title: t("office.may"), render: (k) => t(`tokenRole.${k.role as "viewer"}`) },
                {
                  title: t("office.whose"),
                  render: (k) => [k.crewName, ...k.jobIds.map(jobName)].filter(Boolean).join(", "),
                },
                { title: t("office.madeBy"), render: (k) => `${k.madeBy}, ${siteTime(k.madeAt)}` },
                {
                  title: t("account.seenAt"),
                  render: (k) => (k.usedAt ? siteTime(k.usedAt) : t("office.never")),
                },
                {
                  title: t("office.revoke"),
                  render: (k) =>
                    k.revokedAt ? (
                      t("office.revoked", { at: siteTime(k.revokedAt) })
                    ) : (
                      <Button aria-label={`${t("office.revoke")}: ${k.name}`} onClick={() => revoke(k.tokenId)}>
                        {t("office.revoke")}
                      </Button>
                    ),
                },
              ]}
            />
          )}
        </Await>
      </section>
      <Dialog
        open={made !== null}
        title={t("office.tokenOnce")}
        onCancel={() => setMade(null)}
        onOk={() => setMade(null)}
        cancelButtonProps={{ hidden: true }}
      >
        <p>{t("office.tokenOnceText")}</p>
        <Input.TextArea readOnly autoSize aria-label={t("office.token")} value={made ?? ""} />
      </Dialog>
    </>
  );
}
