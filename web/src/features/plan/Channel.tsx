import { Button, Form, type FormInstance, Input, InputNumber, Select } from "antd";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import type { S } from "../../api/client";
import { placesOf } from "../../domain/places";
import { RowEdit, type RowField } from "../../domain/RowEdit";
import { choices, useChoices } from "../../ui/Parts";
import { changeRow, type RowKind } from "./api";

type Add = (kind: RowKind, values: object, form: FormInstance) => void;
type Part = S["ChainPart"];

/** What lies in a channel beside this job's connectors: modules, bought cords, and how they hang together. */
export function Channel(props: { detail: S["JobDetail"]; add: Add; remove: (what: string, id: string) => void }) {
  const { t } = useTranslation();
  const { detail, add, remove } = props;
  const options = useChoices();
  const [changing, setChanging] = useState<{
    kind: RowKind;
    id: string;
    row: S["Module"] | S["Cord"];
    fields: RowField[];
  }>();
  const [adding, setAdding] = useState<"module" | "cord" | "chain" | null>(null);
  const panels = placesOf(detail)
    .filter((p) => !p.jumper)
    .map((p) => ({ value: p.placeId, label: p.label }));
  const choice = (
    name: string,
    label: string,
    list: { value: string; label: string }[],
    optional = false,
  ): RowField => ({
    name,
    label,
    kind: "choice",
    options: list,
    optional,
    room: "s",
  });
  const moduleFields: RowField[] = [
    { name: "code", label: t("plan.code"), kind: "text" },
    choice("panelId", t("channel.mounted"), panels, true),
    choice("fiberClass", t("plan.fiberClass"), options("", choices.fiberClass)),
    { name: "fibers", label: t("channel.fibers"), kind: "number" },
    choice("rearForm", t("channel.rear"), options("form", choices.form)),
    choice("frontForm", t("channel.front"), options("form", choices.form)),
    { name: "lossDb", label: t("channel.lossDb"), kind: "number", optional: true },
  ];
  const cordFields: RowField[] = [
    { name: "code", label: t("plan.code"), kind: "text" },
    choice("fiberClass", t("plan.fiberClass"), options("", choices.fiberClass)),
    { name: "fibers", label: t("channel.fibers"), kind: "number" },
    choice("formA", t("channel.formA"), options("form", choices.form)),
    choice("polishA", t("channel.polishA"), options("", choices.polish)),
    choice("formB", t("channel.formB"), options("form", choices.form)),
    choice("polishB", t("channel.polishB"), options("", choices.polish)),
    { name: "lengthM", label: t("plan.lengthM"), kind: "number" },
  ];
  const lines = [
    ...detail.modules.map((m) => ({
      id: m.moduleId,
      what: "module",
      text: `${m.code} · ${m.fiberClass} · ${m.fibers} × ${t(`form.${m.rearForm}`)} → ${t(`form.${m.frontForm}`)}${m.lossDb != null ? ` · ≤ ${m.lossDb} dB` : ""}`,
      edit: () => setChanging({ kind: "modules", id: m.moduleId, row: m, fields: moduleFields }),
    })),
    ...detail.cords.map((c) => ({
      id: c.cordId,
      what: "cord",
      text: `${c.code} · ${c.fiberClass} · ${c.fibers} × ${t(`form.${c.formA}`)}/${c.polishA} – ${t(`form.${c.formB}`)}/${c.polishB} · ${c.lengthM} m`,
      edit: () => setChanging({ kind: "cords", id: c.cordId, row: c, fields: cordFields }),
    })),
    ...detail.chains.map((c) => ({
      id: c.chainId,
      what: "chain",
      text: `${c.code} · ${c.parts.map((p) => partName(detail, p)).join(" → ")}`,
      edit: undefined,
    })),
  ];
  return (
    <section className="card">
      <h2>{t("channel.title")}</h2>
      <p className="faint">{t("channel.hint")}</p>
      <ul className="list">
        {lines.map((l) => (
          <li key={l.id} className="row between">
            <span className="grow">
              <b>{t(`channel.${l.what}`)}</b> {l.text}
            </span>
            {l.edit && (
              <Button size="small" aria-label={t("plan.changeOf", { what: l.text })} onClick={l.edit}>
                {t("plan.change")}
              </Button>
            )}
            <Button size="small" aria-label={`${t("app.remove")} ${l.text}`} onClick={() => remove(l.what, l.id)}>
              {t("app.remove")}
            </Button>
          </li>
        ))}
      </ul>
      <div className="row">
        {(["module", "cord", "chain"] as const).map((what) => (
          <Button key={what} aria-expanded={adding === what} onClick={() => setAdding(adding === what ? null : what)}>
            {t(`channel.new-${what}`)}
          </Button>
        ))}
      </div>
      {adding === "module" && (
        <Fields
          name="module"
          fields={moduleFields}
          submit={t("channel.addModule")}
          onSend={(v, f) => add("modules", v, f)}
          initial={{ fiberClass: "OM4", fibers: 12, rearForm: "MPO", frontForm: "LC" }}
        />
      )}
      {adding === "cord" && (
        <Fields
          name="cord"
          fields={cordFields}
          submit={t("channel.addCord")}
          onSend={(v, f) => add("cords", v, f)}
          initial={{
            fiberClass: "OM4",
            fibers: 2,
            formA: "LC",
            polishA: "UPC",
            formB: "LC",
            polishB: "UPC",
            lengthM: 2,
          }}
        />
      )}
      {adding === "chain" && <NewChain detail={detail} onSend={(v, f) => add("chains", v, f)} />}
      {changing && (
        <RowEdit
          key={changing.id}
          title={t("plan.changeOf", { what: changing.row.code })}
          save={(v, version) => changeRow(detail.job.jobId, changing.kind, changing.id, v, version)}
          row={changing.row}
          fields={changing.fields}
          onDone={() => setChanging(undefined)}
        />
      )}
    </section>
  );
}

function partName(d: S["JobDetail"], p: Part) {
  const code =
    p.kind === "cable"
      ? d.cables.find((c) => c.cableId === p.id)?.code
      : p.kind === "module"
        ? d.modules.find((m) => m.moduleId === p.id)?.code
        : d.cords.find((c) => c.cordId === p.id)?.code;
  return `${code}:${p.fiber}${p.reversed ? "′" : ""}`;
}

function Fields(props: {
  name: string;
  fields: RowField[];
  submit: string;
  initial: Record<string, unknown>;
  onSend: (v: Record<string, unknown>, form: FormInstance) => void;
}) {
  const [form] = Form.useForm();
  return (
    <Form
      name={props.name}
      form={form}
      layout="vertical"
      initialValues={props.initial}
      onFinish={(v) => props.onSend(v, form)}
    >
      <div className="row">
        {props.fields.map((f) => (
          <Form.Item key={f.name} name={f.name} label={f.label} rules={f.optional ? [] : [{ required: true }]}>
            {f.kind === "text" ? (
              <Input className="w-s" />
            ) : f.kind === "number" ? (
              <InputNumber className="w-xs" />
            ) : (
              <Select allowClear={f.optional} className="w-s" options={f.options} />
            )}
          </Form.Item>
        ))}
        <Form.Item label=" ">
          <Button htmlType="submit">{props.submit}</Button>
        </Form.Item>
      </div>
    </Form>
  );
}

/** What the light passes, in its order. */
function NewChain(props: { detail: S["JobDetail"]; onSend: (v: object, form: FormInstance) => void }) {
  const { t } = useTranslation();
  const { detail: d } = props;
  const [form] = Form.useForm();
  const [parts, setParts] = useState<Part[]>([]);
  const [id, setId] = useState<string>();
  const [fiber, setFiber] = useState<number | null>(1);
  const all = [
    ...d.cables.map((c) => ({ kind: "cable" as const, value: c.cableId, label: c.code })),
    ...d.modules.map((m) => ({ kind: "module" as const, value: m.moduleId, label: m.code })),
    ...d.cords.map((c) => ({ kind: "cord" as const, value: c.cordId, label: c.code })),
  ];
  const add = () => {
    const part = all.find((a) => a.value === id);
    if (part && fiber) setParts([...parts, { kind: part.kind, id: part.value, fiber, reversed: false }]);
  };
  return (
    <Form
      name="chain"
      form={form}
      layout="vertical"
      onFinish={(v) => {
        props.onSend({ ...v, parts }, form);
        setParts([]);
      }}
    >
      <div className="row">
        <Form.Item name="code" label={t("plan.code")} rules={[{ required: true }]}>
          <Input className="w-s" />
        </Form.Item>
        <Form.Item label={t("channel.part")}>
          <Select
            aria-label={t("channel.part")}
            className="w-m"
            value={id}
            onChange={setId}
            options={all.map(({ value, label }) => ({ value, label }))}
          />
        </Form.Item>
        <Form.Item label={t("channel.fiber")}>
          <InputNumber aria-label={t("channel.fiber")} min={1} precision={0} value={fiber} onChange={setFiber} />
        </Form.Item>
        <Form.Item label=" ">
          <Button onClick={add} disabled={!id || !fiber}>
            {t("channel.addPart")}
          </Button>
        </Form.Item>
        <Form.Item label=" ">
          <Button htmlType="submit" disabled={parts.length === 0}>
            {t("channel.addChain")}
          </Button>
        </Form.Item>
      </div>
      <p>{parts.map((p) => partName(d, p)).join(" → ")}</p>
    </Form>
  );
}
