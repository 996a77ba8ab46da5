import { useQueryClient } from "@tanstack/react-query";
import { Button, Form, Input } from "antd";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import { http, stale } from "../../api/client";
import { put } from "../../api/send";
import { FilePick } from "../../ui/FilePick";
import { Await, useFault } from "../../ui/Parts";
import { useLetterhead } from "./api";
import { drawn } from "./mark";

/** How the company looks on its papers. */
export function Letterhead() {
  const { t } = useTranslation();
  const head = useLetterhead();
  const client = useQueryClient();
  const fault = useFault();
  const [form] = Form.useForm<{ foot: string }>();
  const [busy, setBusy] = useState(false);
  const [shown, setShown] = useState(0);
  const again = () => {
    setShown((n) => n + 1);
    return stale(client, "/api/letterhead");
  };
  const send = async (file: Blob) => {
    setBusy(true);
    await drawn(file)
      .catch(() => file)
      .then((picture) => put("/api/letterhead/mark", picture))
      .then(again)
      .catch(fault);
    setBusy(false);
  };
  return (
    <section className="card" aria-label={t("letterhead.title")}>
      <h2>{t("letterhead.title")}</h2>
      <p className="faint">{t("letterhead.text")}</p>
      <Await of={head}>
        {(h) => (
          <>
            <div className="row">
              {h.hasMark && <img className="mark-shown" src={`/api/letterhead/mark?v=${shown}`} alt={h.company} />}
              <FilePick
                label={t("letterhead.pick")}
                accept=".png,.jpg,.jpeg,.svg"
                first={false}
                busy={busy}
                onFile={send}
              />
              {h.hasMark && (
                <Button onClick={() => http.DELETE("/api/letterhead/mark").then(again).catch(fault)}>
                  {t("letterhead.drop")}
                </Button>
              )}
            </div>
            <Form
              form={form}
              name="letterhead"
              layout="vertical"
              initialValues={{ foot: h.foot }}
              onFinish={(v) =>
                http
                  .PUT("/api/letterhead", { body: v })
                  .then(again)
                  .catch((e) => fault(e, form))
              }
            >
              <div className="row">
                <Form.Item name="foot" label={t("letterhead.foot")} rules={[{ max: 160 }]}>
                  <Input className="w-l" />
                </Form.Item>
                <Form.Item label=" ">
                  <Button htmlType="submit">{t("app.save")}</Button>
                </Form.Item>
              </div>
            </Form>
          </>
        )}
      </Await>
    </section>
  );
}
