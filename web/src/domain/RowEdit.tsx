import { useQueryClient } from "@tanstack/react-query";
import { Checkbox, Form, Input, InputNumber, Modal, Select } from "antd";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import { ApiError } from "../api/client";
import { useFault } from "../ui/Parts";
import { type Room, roomy } from "../ui/room";
import { Both } from "./Both";

export type RowField = {
  name: string;
  label: string;
  kind: "text" | "number" | "flag" | "choice";
  optional?: boolean;
  options?: { value: string; label: string }[];
  room?: Room;
};

type Row = Record<string, unknown> & { version: number };

/** Changes one row of the plan. Two who change it are shown both. */
export function RowEdit<T extends Row>(props: {
  title: string;
  save: (values: object, version: number) => Promise<unknown>;
  row: T;
  fields: RowField[];
  onDone: () => void;
}) {
  const { t } = useTranslation();
  const { title, save: change, row, fields, onDone } = props;
  const [form] = Form.useForm();
  const client = useQueryClient();
  const fault = useFault();
  const [theirs, setTheirs] = useState<T | null>(null);
  const said = (f: RowField, v: unknown) =>
    f.kind === "flag"
      ? t(v ? "app.yes" : "app.no")
      : f.options
        ? (f.options.find((o) => o.value === v)?.label ?? "")
        : String(v ?? "");
  const save = async (version: number) => {
    const values = form.getFieldsValue();
    const blank = Object.fromEntries(
      fields.map((f) => [f.name, values[f.name] === "" ? null : (values[f.name] ?? null)]),
    );
    try {
      await change(blank, version);
      await client.invalidateQueries();
      onDone();
    } catch (e) {
      if (e instanceof ApiError && e.problem.code === "changed-meanwhile") setTheirs(e.problem.current as T);
      else fault(e, form);
    }
  };
  return (
    <>
      <Modal open title={title} okText={t("plan.saveRow")} onOk={() => form.submit()} onCancel={onDone}>
        <Form name="row" form={form} layout="vertical" initialValues={row} onFinish={() => save(row.version)}>
          <div className="row top">
            {fields.map((f) => (
              <Form.Item
                key={f.name}
                name={f.name}
                label={f.kind === "flag" ? " " : f.label}
                valuePropName={f.kind === "flag" ? "checked" : "value"}
                rules={f.optional || f.kind === "flag" ? [] : [{ required: true }]}
              >
                {f.kind === "text" ? (
                  <Input className={roomy(f.room ?? "m")} />
                ) : f.kind === "number" ? (
                  <InputNumber className={roomy(f.room ?? "s")} />
                ) : f.kind === "flag" ? (
                  <Checkbox>{f.label}</Checkbox>
                ) : (
                  <Select allowClear={f.optional} className={roomy(f.room ?? "m")} options={f.options} />
                )}
              </Form.Item>
            ))}
          </div>
        </Form>
      </Modal>
      {theirs && (
        <Both
          title={t("plan.bothRow")}
          rows={fields.map((f) => ({
            what: f.label,
            mine: said(f, form.getFieldValue(f.name)),
            theirs: said(f, theirs[f.name]),
          }))}
          onMine={() => save(theirs.version)}
          onTheirs={() => {
            void client.invalidateQueries();
            onDone();
          }}
        />
      )}
    </>
  );
}
