import { useQueryClient } from "@tanstack/react-query";
import { App, Button, Form, Input } from "antd";
import { useTranslation } from "react-i18next";
import { http, stale } from "../../api/client";
import { useOwnSignIns } from "../../api/hooks";
import { Await, useFault } from "../../ui/Parts";
import { OwnCodes } from "./Codes";
import { SignInList } from "./SignInList";

/** One's own password, and where one is signed in. */
export default function Account() {
  const { t } = useTranslation();
  const signIns = useOwnSignIns();
  const client = useQueryClient();
  const fault = useFault();
  const { message } = App.useApp();
  const [form] = Form.useForm<{ current: string; password: string }>();
  const renew = () => stale(client, "/api/me/sign-ins", "/api/session");
  const change = async (body: { current: string; password: string }) => {
    try {
      await http.PUT("/api/me/password", { body });
      form.resetFields();
      await renew();
      message.success(t("account.passwordChanged"));
    } catch (e) {
      fault(e, form);
    }
  };
  const end = async (signInId?: string) => {
    try {
      if (signInId) await http.DELETE("/api/me/sign-ins/{signInId}", { params: { path: { signInId } } });
      else await http.DELETE("/api/me/sign-ins");
      await renew();
    } catch (e) {
      fault(e);
    }
  };
  return (
    <>
      <h1>{t("account.mine")}</h1>
      <section className="card narrow">
        <h2>{t("account.ownPassword")}</h2>
        <Form form={form} layout="vertical" onFinish={change} requiredMark={false}>
          <Form.Item name="current" label={t("account.currentPassword")} rules={[{ required: true }]}>
            <Input.Password autoComplete="current-password" />
          </Form.Item>
          <Form.Item
            name="password"
            label={t("account.newPassword")}
            extra={t("account.passwordHint")}
            rules={[{ required: true }]}
          >
            <Input.Password autoComplete="new-password" />
          </Form.Item>
          <Button type="primary" htmlType="submit">
            {t("account.changePassword")}
          </Button>
        </Form>
      </section>
      <OwnCodes />
      <section className="card">
        <h2>{t("account.signedInOn")}</h2>
        <Await of={signIns}>
          {(list) => (
            <>
              <SignInList list={list} onEnd={end} />
              {list.length > 1 && <Button onClick={() => end()}>{t("account.endOthers")}</Button>}
            </>
          )}
        </Await>
      </section>
    </>
  );
}
