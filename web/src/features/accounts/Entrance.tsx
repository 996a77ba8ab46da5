import { useQueryClient } from "@tanstack/react-query";
import { Button, Form, Input } from "antd";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import { ApiError, http, stale } from "../../api/client";
import { useFault } from "../../ui/Parts";

type Fields = { companyName: string; name: string; login: string; password: string; code?: string };

/** Sign-in, or on the first run the company and its first account. */
export function Entrance({ needsSetup }: { needsSetup: boolean }) {
  const { t } = useTranslation();
  const [form] = Form.useForm<Fields>();
  const client = useQueryClient();
  const fault = useFault();
  const [codeAsked, askCode] = useState(false);
  const enter = async (v: Fields) => {
    try {
      if (needsSetup) await http.POST("/api/setup", { body: v });
      await http.POST("/api/session", { body: { login: v.login, password: v.password, code: v.code ?? null } });
      await stale(client, "/api/session");
    } catch (e) {
      if (e instanceof ApiError && e.problem.field === "code") askCode(true);
      fault(e, form);
    }
  };
  return (
    <main className="centre">
      <div>
        <h1>{t("app.name")}</h1>
        <p className="faint">{needsSetup ? t("account.setupText") : t("account.welcome")}</p>
        <div className="card">
          <h2>{needsSetup ? t("account.setupTitle") : t("account.signIn")}</h2>
          <Form
            form={form}
            layout="vertical"
            onFinish={enter}
            requiredMark={false}
            initialValues={{ login: "", password: "" }}
          >
            {needsSetup && (
              <>
                <Form.Item name="companyName" label={t("account.company")} rules={[{ required: true }]}>
                  <Input />
                </Form.Item>
                <Form.Item name="name" label={t("account.name")} rules={[{ required: true }]}>
                  <Input autoComplete="name" />
                </Form.Item>
              </>
            )}
            <Form.Item name="login" label={t("account.login")} rules={[{ required: true }]}>
              <Input autoComplete="username" autoCapitalize="none" />
            </Form.Item>
            <Form.Item
              name="password"
              label={t("account.password")}
              rules={[{ required: true }]}
              extra={needsSetup ? t("account.passwordHint") : undefined}
            >
              <Input.Password autoComplete={needsSetup ? "new-password" : "current-password"} />
            </Form.Item>
            {codeAsked && (
              <Form.Item name="code" label={t("account.code")} rules={[{ required: true }]}>
                <Input autoComplete="one-time-code" autoCapitalize="none" autoFocus />
              </Form.Item>
            )}
            <Button type="primary" htmlType="submit" size="large" block>
              {needsSetup ? t("account.setup") : t("account.signIn")}
            </Button>
          </Form>
        </div>
      </div>
    </main>
  );
}
