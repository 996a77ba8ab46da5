import { useQueryClient } from "@tanstack/react-query";
import { Alert, App, Button, Checkbox, Form, type FormInstance, Input, InputNumber, Select } from "antd";
import { type ReactNode, useEffect, useId, useRef, useState } from "react";
import { useTranslation } from "react-i18next";
import { Link } from "react-router";
import { ApiError, answered, http, type S } from "../../api/client";
import { strandIn, useKnown, useLoom, useProcedures } from "../../api/hooks";
import { NoProcedure } from "../../domain/NoProcedure";
import { placesOf } from "../../domain/places";
import { RowEdit, type RowField } from "../../domain/RowEdit";
import { choices, StrandName, useChoices, useFault } from "../../ui/Parts";
import { useLength, useSettings } from "../../ui/settings";
import { strandPaint } from "../../ui/theme";
import { Assign } from "./Assign";
import { addRow, changeRow, type RowKind, removeRow } from "./api";
import { Bring } from "./Bring";
import { ByMethod } from "./ByMethod";
import { CableEdit } from "./CableEdit";
import { Channel } from "./Channel";
import { EndsRow } from "./EndsRow";
import { JobDrawing, type Start } from "./JobDrawing";
import { Lanes } from "./Lanes";
import { Mixes } from "./Mixes";

/** Spaces, panels, cables, and the connectors that go on them. */
export function Layout({ detail }: { detail: S["JobDetail"] }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const fault = useFault();
  const length = useLength();
  const { unit } = useSettings();
  const options = useChoices();
  const loom = useLoom(detail.job.jobId);
  const known = useKnown();
  const jobId = detail.job.jobId;
  const spaceName = (id: string) => detail.spaces.find((s) => s.spaceId === id)?.code;
  const add = async (kind: RowKind, values: object, form: FormInstance) => {
    try {
      await addRow(jobId, kind, values);
      form.resetFields();
      await client.invalidateQueries();
    } catch (e) {
      fault(e, form);
    }
  };
  const remove = (what: string, id: string) =>
    removeRow(jobId, what, id)
      .then(() => client.invalidateQueries())
      .catch(fault);
  const [changing, setChanging] = useState<string>();
  const [start, setStart] = useState<Start>();
  const changed = detail.cables.find((c) => c.cableId === changing);
  const [row, setRow] = useState<{ kind: RowKind; id: string; row: S["Space"] | S["Panel"]; fields: RowField[] }>();
  const spaceFields: RowField[] = [
    { name: "code", label: t("plan.code"), kind: "text", room: "xs" },
    { name: "name", label: t("plan.name"), kind: "text", room: "m" },
  ];
  const panelFields: RowField[] = [
    {
      name: "spaceId",
      label: t("plan.space"),
      kind: "choice",
      options: detail.spaces.map((s) => ({ value: s.spaceId, label: s.code })),
    },
    { name: "code", label: t("plan.code"), kind: "text", room: "xs" },
    { name: "ports", label: t("plan.ports"), kind: "number" },
    { name: "adapterForm", label: t("plan.adapter"), kind: "choice", options: options("form", choices.form) },
    { name: "angled", label: t("plan.angled"), kind: "flag" },
    { name: "reachMm", label: t("plan.reachMm"), kind: "number" },
    { name: "loopTurns", label: t("plan.loopTurns"), kind: "number" },
  ];
  const toMm = (v: number) => (unit === "mm" ? v : v * 25.4);
  return (
    <>
      <div className="cols">
        <Block title={t("plan.spaces")}>
          <Lines
            items={detail.spaces.map((s) => ({ id: s.spaceId, text: `${s.code} · ${s.name}` }))}
            onRemove={(id) => remove("space", id)}
            onChange={(id) => {
              const row = detail.spaces.find((s) => s.spaceId === id);
              if (row) setRow({ kind: "spaces", id, row, fields: spaceFields });
            }}
          />
          <Small submit={t("plan.addSpace")} onSend={(v, f) => add("spaces", v, f)}>
            <Form.Item name="code" label={t("plan.code")} rules={[{ required: true }]}>
              <Input className="w-xs" />
            </Form.Item>
            <Form.Item name="name" label={t("plan.name")} rules={[{ required: true }]}>
              <Input className="w-m" />
            </Form.Item>
          </Small>
        </Block>
        <Block title={t("plan.panels")}>
          <Lines
            items={detail.panels.map((p) => ({
              id: p.panelId,
              text: `${spaceName(p.spaceId)}-${p.code} · ${t("jobs.ports", { count: p.ports })} · ${t(`form.${p.adapterForm}`)}${p.angled ? ` · ${t("plan.angled")}` : ""}`,
            }))}
            onRemove={(id) => remove("panel", id)}
            onChange={(id) => {
              const row = detail.panels.find((p) => p.panelId === id);
              if (row) setRow({ kind: "panels", id, row, fields: panelFields });
            }}
          />
          <Small
            submit={t("plan.addPanel")}
            initial={{ spaceId: detail.spaces.at(-1)?.spaceId, ports: 24, adapterForm: "SC", angled: false }}
            follows="spaceId"
            onSend={(v, f) => add("panels", v, f)}
          >
            <Form.Item name="spaceId" label={t("plan.space")} rules={[{ required: true }]}>
              <Select className="w-s" options={detail.spaces.map((s) => ({ value: s.spaceId, label: s.code }))} />
            </Form.Item>
            <Form.Item name="code" label={t("plan.code")} rules={[{ required: true }]}>
              <Input className="w-xs" />
            </Form.Item>
            <Form.Item name="ports" label={t("plan.ports")} rules={[{ required: true }]}>
              <InputNumber className="w-xs" />
            </Form.Item>
            <Form.Item name="adapterForm" label={t("plan.adapter")}>
              <Select className="w-s" options={options("form", choices.form)} />
            </Form.Item>
            <Form.Item name="angled" valuePropName="checked">
              <Checkbox>{t("plan.angled")}</Checkbox>
            </Form.Item>
            <Form.Item name="reachMm" label={t("plan.reachMm")} tooltip={t("plan.reachHint")}>
              <InputNumber className="w-s" min={0} />
            </Form.Item>
            <Form.Item name="loopTurns" label={t("plan.loopTurns")} tooltip={t("plan.loopHint")}>
              <InputNumber className="w-xs" min={0} max={20} />
            </Form.Item>
          </Small>
        </Block>
      </div>
      <Block title={t("plan.cables")}>
        <Lines
          items={detail.cables.map((c) => ({
            id: c.cableId,
            text: `${c.code} · ${c.fiberClass} · ${t(`construction.${c.construction}`)} · ${c.strandCount} × ${c.orderedLengthMm !== null ? t("plan.jumperOf", { length: length(c.orderedLengthMm) }) : `${c.lengthM} m`}${c.diameterMm !== null ? ` · ⌀ ${c.diameterMm} mm` : ""} · ${length(c.slackAMm)} / ${length(c.slackBMm)} · ${t("measure.connectionsOf", { count: c.connections })}, ${t("measure.splicesOf", { count: c.splices })}`,
          }))}
          onRemove={(id) => remove("cable", id)}
          onChange={(id) => setChanging(id)}
        />
        {changed && (
          <CableEdit
            key={changed.cableId}
            jobId={detail.job.jobId}
            cable={changed}
            onDone={() => setChanging(undefined)}
          />
        )}
        <Small
          submit={t("plan.addCable")}
          initial={{ fiberClass: "OM3", construction: "cordage-3.0", strandCount: 12, unitSize: 12 }}
          onSend={(v, f) =>
            add(
              "cables",
              {
                ...v,
                colourOrder: (v.colourOrder as string[] | undefined)?.length ? v.colourOrder : null,
                lengthM: v.lengthM ?? null,
                orderedLengthMm: v.orderedLengthMm ? toMm(v.orderedLengthMm as number) : null,
                orderedToleranceMm: v.orderedToleranceMm ? toMm(v.orderedToleranceMm as number) : null,
                diameterMm: v.diameterMm ?? null,
                slackAMm: toMm(v.slackAMm as number),
                slackBMm: toMm(v.slackBMm as number),
              },
              f,
            )
          }
        >
          <Form.Item name="code" label={t("plan.code")} rules={[{ required: true }]}>
            <Input className="w-s" />
          </Form.Item>
          <Form.Item name="fiberClass" label={t("plan.fiberClass")}>
            <Select className="w-xs" options={options("", choices.fiberClass)} />
          </Form.Item>
          <Form.Item name="construction" label={t("plan.construction")}>
            <Select className="w-m" options={options("construction", choices.construction)} />
          </Form.Item>
          <Form.Item name="strandCount" label={t("plan.strands")} rules={[{ required: true }]}>
            <InputNumber className="w-xs" />
          </Form.Item>
          <Form.Item name="unitSize" label={t("plan.unitSize")} tooltip={t("plan.unitHint")}>
            <Select
              className="w-s"
              options={(known.data?.unitSizes ?? [12]).map((n) => ({ value: n, label: `${n}` }))}
            />
          </Form.Item>
          <Form.Item name="colourOrder" label={t("plan.colourOrder")} tooltip={t("plan.colourHint")}>
            <Select
              mode="multiple"
              maxTagCount={2}
              placeholder={t("plan.usualOrder")}
              className="w-l"
              options={options("colour", Object.keys(strandPaint))}
            />
          </Form.Item>
          <Form.Item
            name="lengthM"
            label={t("plan.lengthM")}
            dependencies={["orderedLengthMm"]}
            rules={[({ getFieldValue }) => ({ required: !getFieldValue("orderedLengthMm") })]}
          >
            <InputNumber className="w-s" />
          </Form.Item>
          <Form.Item name="orderedLengthMm" label={`${t("plan.ordered")} (${unit})`} tooltip={t("plan.orderedHint")}>
            <InputNumber className="w-s" />
          </Form.Item>
          <Form.Item name="orderedToleranceMm" label={`± ${t("plan.tolerance")} (${unit})`}>
            <InputNumber className="w-xs" min={0} />
          </Form.Item>
          <Form.Item name="diameterMm" label={t("plan.diameter")}>
            <InputNumber className="w-xs" />
          </Form.Item>
          <Form.Item name="slackAMm" label={`${t("plan.slackA")} (${unit})`} rules={[{ required: true }]}>
            <InputNumber className="w-s" />
          </Form.Item>
          <Form.Item name="slackBMm" label={`${t("plan.slackB")} (${unit})`} rules={[{ required: true }]}>
            <InputNumber className="w-s" />
          </Form.Item>
        </Small>
      </Block>
      {row && (
        <RowEdit
          key={row.id}
          title={t("plan.changeOf", { what: row.row.code })}
          save={(v, version) => changeRow(jobId, row.kind, row.id, v, version)}
          row={row.row}
          fields={row.fields}
          onDone={() => setRow(undefined)}
        />
      )}
      <JobDrawing detail={detail} onPlan={setStart} />
      {detail.cables.length > 0 && placesOf(detail).length > 0 && <EndsForm detail={detail} start={start} />}
      {loom.data && loom.data.ends.length > 0 && (
        <Block title={t("plan.planned")}>
          {detail.cables.map((c) => {
            const ends = loom.data.ends.filter((e) => e.cableId === c.cableId);
            return (
              ends.length > 0 && (
                <details key={c.cableId}>
                  <summary>
                    {t("plan.strandsOf", { code: c.code })} ({ends.length})
                  </summary>
                  <EndsRow detail={detail} cable={c} ends={ends} />
                  <ul className="list">
                    {ends.map((e) => {
                      const p = detail.panels.find((x) => x.panelId === e.placeId);
                      const strand = strandIn(loom.data, e.endId);
                      return (
                        <li key={e.endId} className="row">
                          {strand && <StrandName strand={strand} />}
                          <span>
                            {e.side} → {p ? `${spaceName(p.spaceId)}-${p.code}:${e.port}` : t("plan.noPanel")}
                          </span>
                          <span>{t(`status.${e.status}`)}</span>
                          <Link to={`/prep/${e.endId}`}>{t("prep.title")}</Link>
                          {e.status === "planned" && (
                            <Button size="small" onClick={() => remove("end", e.endId)}>
                              {t("app.remove")}
                            </Button>
                          )}
                        </li>
                      );
                    })}
                  </ul>
                </details>
              )
            );
          })}
        </Block>
      )}
      {loom.data && loom.data.ends.length > 0 && (
        <>
          <Bring job={detail.job} />
          <ByMethod jobId={jobId} />
          <Mixes jobId={jobId} />
        </>
      )}
      <Lanes fibers={12} plan={detail} />
      <Channel detail={detail} add={add} remove={remove} />
      {loom.data && loom.data.ends.length > 0 && <Assign detail={detail} />}
    </>
  );
}

function EndsForm({ detail, start }: { detail: S["JobDetail"]; start?: Start }) {
  const { t } = useTranslation();
  const [form] = Form.useForm();
  const options = useChoices();
  const client = useQueryClient();
  const fault = useFault();
  const { message } = App.useApp();
  const [against, setAgainst] = useState<S["Refusal"][]>([]);
  const [unfit, setUnfit] = useState<{ count: number; nearest: S["NearProcedure"][] } | null>(null);
  const method = Form.useWatch("method", form) as string | undefined;
  const cableId = Form.useWatch("cableId", form) as string | undefined;
  const cable = detail.cables.find((c) => c.cableId === cableId);
  const save = async (v: Record<string, unknown>) => {
    setAgainst([]);
    setUnfit(null);
    try {
      const body = { ...v, stubClass: v.stubClass ?? null, panelId: v.panelId ?? null, firstPort: v.firstPort ?? null };
      const made = await answered(
        http.POST("/api/jobs/{jobId}/ends", { params: { path: { jobId: detail.job.jobId } }, body: body as never }),
      );
      if (made.procedureId) message.success(t("plan.made", { count: made.endIds.length, procedure: made.procedureId }));
      else setUnfit({ count: made.endIds.length, nearest: made.nearest });
      await client.invalidateQueries();
    } catch (e) {
      if (e instanceof ApiError && e.problem.status === 422) setAgainst(e.problem.refusals);
      fault(e, form);
    }
  };
  const known = useKnown();
  const procedures = useProcedures();
  const offered = (procedures.data ?? []).filter(
    (p, i, all) => p.method === method && !p.draft && all.findIndex((x) => x.id === p.id && !x.draft) === i,
  );
  const hasStub = (m?: string) => known.data?.methods.find((x) => x.method === m)?.hasStub ?? false;
  const cableChosen = (id: string) => {
    const c = detail.cables.find((x) => x.cableId === id);
    if (!c) return;
    form.setFieldsValue({
      mode: known.data?.fiberClasses.find((x) => x.fiberClass === c.fiberClass)?.mode,
      stubClass: hasStub(form.getFieldValue("method")) ? c.fiberClass : undefined,
      fromStrand: 1,
      toStrand: c.strandCount,
    });
  };
  const card = useRef<HTMLElement>(null);
  // What was put on a panel in the drawing stands in the form, with all that follows from cable and panel.
  // biome-ignore lint/correctness/useExhaustiveDependencies: once for each start
  useEffect(() => {
    if (!start) return;
    cableChosen(start.cableId);
    const panel = detail.panels.find((p) => p.panelId === start.panelId);
    form.setFieldsValue({ ...start, form: panel?.adapterForm ?? form.getFieldValue("form") });
    card.current?.scrollIntoView({ block: "start", behavior: "smooth" });
  }, [start]);
  return (
    <section className="card" ref={card}>
      <h2>{t("plan.ends")}</h2>
      {unfit && <NoProcedure {...unfit} />}
      <Form
        name="ends"
        form={form}
        layout="vertical"
        onFinish={save}
        initialValues={{ side: "A", firstPort: 1, form: "SC", polish: "UPC", method: "wedge-locked" }}
      >
        <div className="row">
          <Form.Item name="cableId" label={t("plan.cable")} rules={[{ required: true }]}>
            <Select
              showSearch={{ optionFilterProp: "label" }}
              className="w-m"
              onChange={cableChosen}
              options={detail.cables.map((c) => ({ value: c.cableId, label: c.code }))}
            />
          </Form.Item>
          <Form.Item name="side" label={t("plan.side")}>
            <Select className="w-xs" options={options("", ["A", "B"])} />
          </Form.Item>
          <Form.Item name="fromStrand" label={t("plan.fromStrand")} rules={[{ required: true }]}>
            <InputNumber className="w-xs" />
          </Form.Item>
          <Form.Item name="toStrand" label={t("plan.toStrand")} rules={[{ required: true }]}>
            <InputNumber className="w-xs" />
          </Form.Item>
          <Form.Item name="panelId" label={t("plan.panel")} rules={[{ required: cable?.orderedLengthMm == null }]}>
            <Select
              allowClear
              placeholder={cable?.orderedLengthMm == null ? undefined : t("plan.noPanel")}
              className="w-m"
              onChange={(id) =>
                form.setFieldValue("form", detail.panels.find((p) => p.panelId === id)?.adapterForm ?? "SC")
              }
              options={detail.panels.map((p) => ({
                value: p.panelId,
                label: `${detail.spaces.find((s) => s.spaceId === p.spaceId)?.code}-${p.code}`,
              }))}
            />
          </Form.Item>
          <Form.Item
            name="firstPort"
            label={t("plan.firstPort")}
            rules={[{ required: cable?.orderedLengthMm == null }]}
          >
            <InputNumber className="w-xs" />
          </Form.Item>
          <Form.Item name="form" label={t("plan.form")}>
            <Select className="w-s" options={options("form", choices.form)} />
          </Form.Item>
          <Form.Item name="polish" label={t("plan.polish")}>
            <Select className="w-xs" options={options("", choices.polish)} />
          </Form.Item>
          <Form.Item name="mode" label={t("plan.mode")} rules={[{ required: true }]}>
            <Select className="w-m" options={options("mode", choices.mode)} />
          </Form.Item>
          <Form.Item name="method" label={t("plan.method")}>
            <Select
              className="w-m"
              options={options("method", choices.method)}
              onChange={(m) =>
                form.setFieldsValue({ procedureId: undefined, stubClass: hasStub(m) ? cable?.fiberClass : undefined })
              }
            />
          </Form.Item>
          <Form.Item name="procedureId" label={t("plan.procedure")} tooltip={t("plan.procedureHint")}>
            <Select
              allowClear
              className="w-xl"
              placeholder={t("plan.bestFit")}
              options={offered.map((p) => ({
                value: p.id,
                label: p.own ? t("plan.ownProcedure", { title: p.title }) : p.title,
              }))}
            />
          </Form.Item>
          {hasStub(method) && (
            <Form.Item name="stubClass" label={t("plan.stubClass")} tooltip={t("plan.stubHint")}>
              <Select allowClear className="w-s" options={options("", choices.fiberClass)} />
            </Form.Item>
          )}
        </div>
        {against.length > 0 && (
          <Alert
            type="error"
            showIcon
            className="below"
            title={t("plan.refused")}
            description={
              <ul>
                {against.map((r) => (
                  <li key={r.code}>{r.message}</li>
                ))}
              </ul>
            }
          />
        )}
        <Button type="primary" htmlType="submit">
          {t("plan.addEnds")}
        </Button>
      </Form>
    </section>
  );
}

function Block({ title, children }: { title: string; children: ReactNode }) {
  return (
    <section className="card">
      <h2>{title}</h2>
      {children}
    </section>
  );
}

function Lines(props: {
  items: { id: string; text: string }[];
  onRemove: (id: string) => void;
  onChange?: (id: string) => void;
}) {
  const { items, onRemove, onChange } = props;
  const { t } = useTranslation();
  return (
    <ul className="list">
      {items.map((i) => (
        <li key={i.id} className="row between">
          <span className="grow">{i.text}</span>
          {onChange && (
            <Button size="small" aria-label={t("plan.changeOf", { what: i.text })} onClick={() => onChange(i.id)}>
              {t("plan.change")}
            </Button>
          )}
          <Button size="small" aria-label={`${t("app.remove")} ${i.text}`} onClick={() => onRemove(i.id)}>
            {t("app.remove")}
          </Button>
        </li>
      ))}
    </ul>
  );
}

function Small(props: {
  submit: string;
  initial?: Record<string, unknown>;
  /** A field that goes along when its first value changes: what was added last is what comes next. */
  follows?: string;
  onSend: (values: Record<string, unknown>, form: FormInstance) => void;
  children: ReactNode;
}) {
  const [form] = Form.useForm();
  // Several forms on one page have a field "code": the name keeps their labels apart.
  const name = useId();
  const next = props.follows && props.initial?.[props.follows];
  useEffect(() => {
    if (props.follows && next) form.setFieldsValue({ [props.follows]: next });
  }, [form, props.follows, next]);
  return (
    <Form
      name={name}
      form={form}
      layout="vertical"
      initialValues={props.initial}
      onFinish={(v) => props.onSend(v, form)}
    >
      <div className="row">
        {props.children}
        <Form.Item>
          <Button htmlType="submit">{props.submit}</Button>
        </Form.Item>
      </div>
    </Form>
  );
}
