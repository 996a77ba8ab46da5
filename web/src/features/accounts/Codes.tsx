import { useQueryClient } from "@tanstack/react-query";
import { Alert, Button, Form, Input } from "antd";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import { http, type S, stale } from "../../api/client";
import { useOwnCode } from "../../api/hooks";
import { Await, useFault } from "../../ui/Parts";
import { siteTime } from "../../ui/settings";

/** One's own one-time codes: begun with the password, turned on with a code, and codes for the day the telephone is lost. */
export function OwnCodes() {
  const { t } = useTranslation();
  const own = useOwnCode();
  const client = useQueryClient();
  const fault = useFault();
  const [begun, setBegun] = useState<S["CodeBegun"] | null>(null);
  const [recovery, setRecovery] = useState<string[] | null>(null);
  const [password] = Form.useForm<{ current: string }>();
  const [confirm] = Form.useForm<{ code: string }>();
  const renew = () => stale(client, "/api/me/code", "/api/session");
  const begin = async (body: { current: string }) => {
    try {
      const { data } = await http.POST("/api/me/code", { body });
      password.resetFields();
      setBegun(data ?? null);
    } catch (e) {
      fault(e, password);
    }
  };
  const turnOn = async (body: { code: string }) => {
    try {
      const { data } = await http.PUT("/api/me/code", { body });
      setBegun(null);
      setRecovery(data?.recovery ?? null);
      await renew();
    } catch (e) {
      fault(e, confirm);
    }
  };
  const turnOff = async () => {
    try {
      await http.POST("/api/me/code/off", { body: password.getFieldsValue() });
      password.resetFields();
      setRecovery(null);
      await renew();
    } catch (e) {
      fault(e, password);
    }
  };
  return (
    <section className="card narrow">
      <h2>{t("account.codes")}</h2>
      <Await of={own}>
        {(c) => (
          <>
            <p>
              {c.active
                ? t("account.codesOn", { at: c.since ? siteTime(c.since) : "", left: c.recoveryLeft })
                : t("account.codesOff")}
            </p>
            {c.compulsory && !c.active && <Alert type="warning" showIcon title={t("account.codesAsked")} />}
            {recovery && (
              <Alert
                type="success"
                title={t("account.codesRecovery")}
                description={
                  <>
                    <p>{t("account.codesRecoveryText")}</p>
                    <ul className="list">
                      {recovery.map((r) => (
                        <li key={r}>
                          <code>{r}</code>
                        </li>
                      ))}
                    </ul>
                  </>
                }
              />
            )}
            {begun ? (
              <Form key="code" name="code" form={confirm} layout="vertical" onFinish={turnOn} requiredMark={false}>
                <p>{t("account.codesScan")}</p>
                <figure className="code">
                  <img src={`data:image/svg+xml;utf8,${encodeURIComponent(begun.picture)}`} alt={begun.address} />
                  <figcaption>
                    <code className="figures">{begun.secret}</code>
                  </figcaption>
                </figure>
                <Form.Item name="code" label={t("account.code")} rules={[{ required: true }]}>
                  <Input inputMode="numeric" autoComplete="one-time-code" />
                </Form.Item>
                <Button type="primary" htmlType="submit">
                  {t("account.codesConfirm")}
                </Button>
              </Form>
            ) : (
              <Form
                key="codes"
                name="codes"
                form={password}
                layout="vertical"
                onFinish={c.active ? turnOff : begin}
                requiredMark={false}
              >
                <Form.Item name="current" label={t("account.password")} rules={[{ required: true }]}>
                  <Input.Password autoComplete="current-password" />
                </Form.Item>
                <Button htmlType="submit">{t(c.active ? "account.codesTurnOff" : "account.codesBegin")}</Button>
              </Form>
            )}
          </>
        )}
      </Await>
    </section>
  );
}
