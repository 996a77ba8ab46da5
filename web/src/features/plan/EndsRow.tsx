import { useQueryClient } from "@tanstack/react-query";
import { App, Button, Form, InputNumber, Select } from "antd";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import { answered, http, type S } from "../../api/client";
import { Dialog } from "../../ui/Dialog";
import { choices, useChoices, useFault } from "../../ui/Parts";
import { CrewPerson } from "./CrewPerson";

type Row = Pick<S["EndsChange"], "cableId" | "side" | "fromStrand" | "toStrand">;

/** Changes, moves, gives or takes out a row of strands' ends in one go; what has begun stays as it is. */
export function EndsRow({ detail, cable, ends }: { detail: S["JobDetail"]; cable: S["Cable"]; ends: S["LoomEnd"][] }) {
  const { t } = useTranslation();
  const jobId = detail.job.jobId;
  const client = useQueryClient();
  const fault = useFault();
  const { message } = App.useApp();
  const sides = [...new Set(ends.map((e) => e.side))].sort();
  const [side, setSide] = useState<Row["side"]>(sides[0] ?? "A");
  const strands = ends.filter((e) => e.side === side).map((e) => e.strand);
  const [from, setFrom] = useState<number | null>(Math.min(...strands));
  const [to, setTo] = useState<number | null>(Math.max(...strands));
  const [busy, setBusy] = useState(false);
  const [changing, setChanging] = useState(false);
  const those = ends.filter((e) => e.side === side && e.strand >= (from ?? 1) && e.strand <= (to ?? 0));
  const free = those.filter((e) => e.status === "planned");
  const row: Row = { cableId: cable.cableId, side, fromStrand: from ?? 1, toStrand: to ?? 1 };
  const remove = async () => {
    setBusy(true);
    try {
      const done = await answered(
        http.POST("/api/jobs/{jobId}/ends/remove", { params: { path: { jobId } }, body: row }),
      );
      message.success(t("plan.removed", { count: done.ends }));
    } catch (e) {
      fault(e);
    } finally {
      setBusy(false);
      await client.invalidateQueries();
    }
  };
  const code = cable.code;
  return (
    <div className="row middle below">
      {sides.length > 1 && (
        <Select
          aria-label={t("plan.removeSide", { code })}
          className="w-xs"
          value={side}
          options={sides.map((s) => ({ value: s, label: s }))}
          onChange={setSide}
        />
      )}
      <InputNumber
        aria-label={t("plan.removeFrom", { code })}
        className="w-xs"
        min={1}
        value={from}
        onChange={setFrom}
      />
      –
      <InputNumber aria-label={t("plan.removeTo", { code })} className="w-xs" min={1} value={to} onChange={setTo} />
      <Button disabled={busy || those.length === 0} onClick={() => setChanging(true)}>
        {t("plan.changeEnds", { count: those.length })}
      </Button>
      <Button disabled={busy || free.length === 0} onClick={remove}>
        {t("plan.removeEnds", { count: free.length })}
      </Button>
      {changing && (
        <ChangeEnds
          detail={detail}
          title={t("plan.changeEndsOf", { code, from, to, side })}
          row={row}
          ends={those}
          onDone={() => setChanging(false)}
        />
      )}
    </div>
  );
}

type Fields = Partial<Omit<S["EndsChange"], keyof Row>> & { crewId?: string; personId?: string };

function ChangeEnds(props: {
  detail: S["JobDetail"];
  title: string;
  row: Row;
  ends: S["LoomEnd"][];
  onDone: () => void;
}) {
  const { detail, ends } = props;
  const { t } = useTranslation();
  const jobId = detail.job.jobId;
  const client = useQueryClient();
  const fault = useFault();
  const options = useChoices();
  const { message } = App.useApp();
  const [form] = Form.useForm<Fields>();
  const panelId = Form.useWatch("panelId", form);
  const method = Form.useWatch("method", form);
  const free = ends.filter((e) => e.status === "planned").length;
  const save = async ({ crewId, personId, ...change }: Fields) => {
    try {
      if (crewId) {
        await http.POST("/api/jobs/{jobId}/assignments", {
          params: { path: { jobId } },
          body: { endIds: ends.map((e) => e.endId), crewId, personId },
        });
      }
      if (Object.values(change).some((v) => v !== undefined && v !== null)) {
        const done = await answered(
          http.POST("/api/jobs/{jobId}/ends/change", {
            params: { path: { jobId } },
            body: { ...props.row, ...change } as never,
          }),
        );
        message.success(t("plan.endsChanged", { count: done.ends, worked: done.worked.length }));
      }
      await client.invalidateQueries();
      props.onDone();
    } catch (e) {
      fault(e, form);
      await client.invalidateQueries();
    }
  };
  const pick = (name: keyof Fields, label: string, list: { value: string; label: string }[]) => (
    <Form.Item name={name} label={label}>
      <Select allowClear className="w-m" placeholder={t("plan.asItIs")} options={list} />
    </Form.Item>
  );
  return (
    <Dialog open title={props.title} okText={t("plan.saveEnds")} onOk={() => form.submit()} onCancel={props.onDone}>
      <p className="faint">{t("plan.changeEndsHint", { count: free, begun: ends.length - free })}</p>
      <Form name="ends-change" form={form} layout="vertical" onFinish={save}>
        <div className="row top">
          {pick("method", t("plan.method"), options("method", choices.method))}
          {method && pick("stubClass", t("plan.stubClass"), options("", choices.fiberClass))}
          {pick("form", t("plan.form"), options("form", choices.form))}
          {pick("polish", t("plan.polish"), options("", choices.polish))}
          {pick(
            "panelId",
            t("plan.moveTo"),
            detail.panels.map((p) => ({
              value: p.panelId,
              label: `${detail.spaces.find((s) => s.spaceId === p.spaceId)?.code}-${p.code}`,
            })),
          )}
          {panelId && (
            <Form.Item name="firstPort" label={t("plan.firstPort")} rules={[{ required: true }]}>
              <InputNumber className="w-xs" min={1} precision={0} />
            </Form.Item>
          )}
          <CrewPerson form={form} />
        </div>
      </Form>
    </Dialog>
  );
}
