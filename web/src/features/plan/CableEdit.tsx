import { useQueryClient } from "@tanstack/react-query";
import { Form, InputNumber } from "antd";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import { ApiError, http, type S } from "../../api/client";
import { Both } from "../../domain/Both";
import { Dialog } from "../../ui/Dialog";
import { useFault } from "../../ui/Parts";
import { useLength, useSettings } from "../../ui/settings";

type Fields = Pick<
  S["Cable"],
  | "lengthM"
  | "slackAMm"
  | "slackBMm"
  | "connections"
  | "splices"
  | "diameterMm"
  | "orderedLengthMm"
  | "orderedToleranceMm"
>;
const all = [
  "lengthM",
  "orderedLengthMm",
  "orderedToleranceMm",
  "slackAMm",
  "slackBMm",
  "connections",
  "splices",
  "diameterMm",
] as const;

/** What a cable's ends and links are judged by from now on. Two who change it are shown both. */
export function CableEdit({ jobId, cable, onDone }: { jobId: string; cable: S["Cable"]; onDone: () => void }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const fault = useFault();
  const length = useLength();
  const { unit } = useSettings();
  const [form] = Form.useForm<Fields>();
  const [theirs, setTheirs] = useState<S["Cable"] | null>(null);
  const per = unit === "mm" ? 1 : 25.4;
  const over = (mm: number | null | undefined, by: number) => (mm == null ? null : mm * by);
  const shown = (c: Fields): Fields => ({
    ...c,
    slackAMm: c.slackAMm / per,
    slackBMm: c.slackBMm / per,
    orderedLengthMm: over(c.orderedLengthMm, 1 / per),
    orderedToleranceMm: over(c.orderedToleranceMm, 1 / per),
  });
  const meant = (f: Fields): Fields => ({
    ...f,
    lengthM: f.lengthM ?? cable.lengthM,
    diameterMm: f.diameterMm ?? null,
    slackAMm: f.slackAMm * per,
    slackBMm: f.slackBMm * per,
    orderedLengthMm: over(f.orderedLengthMm, per),
    orderedToleranceMm: over(f.orderedToleranceMm, per),
  });
  // A jumper is as long as it is ordered.
  const fields = all.filter((f) => (cable.orderedLengthMm === null ? !f.startsWith("ordered") : f !== "lengthM"));
  const labels = {
    lengthM: t("plan.lengthM"),
    orderedLengthMm: `${t("plan.ordered")} (${unit})`,
    orderedToleranceMm: `± ${t("plan.tolerance")} (${unit})`,
    diameterMm: t("plan.diameter"),
    slackAMm: `${t("plan.slackA")} (${unit})`,
    slackBMm: `${t("plan.slackB")} (${unit})`,
    connections: t("plan.connections"),
    splices: t("plan.splices"),
  };
  const save = async (version: number) => {
    try {
      await http.PUT("/api/jobs/{jobId}/cables/{id}", {
        params: { path: { jobId, id: cable.cableId } },
        body: { ...meant(form.getFieldsValue()), version },
      });
      await client.invalidateQueries();
      onDone();
    } catch (e) {
      if (e instanceof ApiError && e.problem.code === "changed-meanwhile") setTheirs(e.problem.current as S["Cable"]);
      else fault(e, form);
    }
  };
  const said = (f: (typeof all)[number], v: number | null) =>
    v === null ? "" : f.endsWith("Mm") && f !== "diameterMm" ? length(v) : String(v);
  return (
    <>
      <Dialog
        open
        title={t("plan.changeCable", { code: cable.code })}
        okText={t("plan.saveCable")}
        onOk={() => form.submit()}
        onCancel={onDone}
      >
        <Form
          name="cable"
          form={form}
          layout="vertical"
          initialValues={shown(cable)}
          onFinish={() => save(cable.version)}
        >
          <div className="row top">
            {fields.map((f) => (
              <Form.Item
                key={f}
                name={f}
                label={labels[f]}
                rules={[{ required: f !== "diameterMm" && f !== "orderedToleranceMm" }]}
              >
                <InputNumber className="w-s" />
              </Form.Item>
            ))}
          </div>
        </Form>
        <p className="faint">{t("plan.cableHint")}</p>
      </Dialog>
      {theirs && (
        <Both
          title={t("plan.bothCable")}
          rows={fields.map((f) => ({
            what: labels[f],
            mine: said(f, meant(form.getFieldsValue())[f]),
            theirs: said(f, theirs[f]),
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
