import { Alert, Button, Form, Input, InputNumber, Segmented, Select } from "antd";
import type { ReactNode } from "react";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import { Link, useSearchParams } from "react-router";
import { v7 as uuid7 } from "uuid";
import { api, type S } from "../../api/client";
import { useCrews, useInstruments, useSession, useTools } from "../../api/hooks";
import { ToolWear } from "../../domain/ToolWear";
import type { StreamDraft } from "../../offline/outbox";
import { useLedger } from "../../offline/useLedger";
import { DayField } from "../../ui/DayField";
import { Await, Grid, useChoices } from "../../ui/Parts";
import { Scan } from "../../ui/Scan";
import { dayText, dB, today } from "../../ui/settings";
import { Prices } from "./Prices";
import { Recall } from "./Recall";
import { Picks, Stock } from "./Stock";

const useLots = () => api.useQuery("get", "/api/lots");

const PARTS = ["things", "load", "recall", "prices"] as const;

export default function Kit() {
  const { t } = useTranslation();
  const [query, setQuery] = useSearchParams();
  const part = query.get("part") ?? "things";
  return (
    <>
      <h1>{t("kit.title")}</h1>
      <Segmented
        className="below wrap"
        aria-label={t("kit.title")}
        value={part}
        onChange={(v) => setQuery({ part: v as string })}
        options={PARTS.map((p) => ({ value: p, label: t(`kit.part.${p}`) }))}
      />
      {part === "things" && <Things />}
      {part === "load" && (
        <>
          <Picks />
          <Stock />
        </>
      )}
      {part === "recall" && <Recall />}
      {part === "prices" && <Prices />}
    </>
  );
}

/** What the crew has in its cases: what wears, what runs out, and what has to be calibrated. */
function Things() {
  const { t } = useTranslation();
  const tell = useLedger();
  const crews = useCrews();
  const person = useSession().data?.person;
  const tools = useTools();
  const lots = useLots();
  const instruments = useInstruments();
  const nameOf = (crewId: string) => crews.data?.find((c) => c.crewId === crewId)?.name ?? "";
  const say = (draft: StreamDraft) => tell(draft);
  // A crew sees its own; only the office has several.
  const crewColumn =
    person?.role === "office" ? [{ title: t("assign.crew"), render: (x: { crewId: string }) => nameOf(x.crewId) }] : [];
  const leads = person?.role === "lead" || person?.role === "office";
  return (
    <>
      <section className="card">
        <h2>{t("kit.tools")}</h2>
        <Await of={tools}>
          {(list) => (
            <Grid
              rowKey={(x) => x.id}
              rows={list}
              empty={t("kit.noTools")}
              columns={[
                {
                  title: t("kit.name"),
                  render: (x) => (
                    <Named
                      of={x}
                      done={
                        <>
                          <ToolWear tool={x} say={say} />
                          <ToolDone tool={x} say={say} leads={leads} />
                        </>
                      }
                    />
                  ),
                },
                { title: t("kit.kind"), render: (x) => t(`tool.${x.kind}`) },
                ...crewColumn,
                { title: t("kit.since"), render: (x) => counts(t, x.since) },
                { title: t("kit.total"), render: (x) => counts(t, x.total) },
              ]}
            />
          )}
        </Await>
        <Add
          name="tool"
          kinds={["cleaver", "splicer", "stripper", "crimper", "oven", "polishing-puck", "red-light-source", "other"]}
          group="tool"
          submit={t("kit.addTool")}
          onSend={({ kind, name, number, crewId }) =>
            say({
              stream: "tool",
              streamId: uuid7(),
              kind: "tool-added",
              body: { crewId, kind, name, number: number || null },
            })
          }
        />
      </section>
      <section className="card">
        <h2>{t("kit.instruments")}</h2>
        <p className="faint">{t("kit.instrumentsText")}</p>
        <Await of={instruments}>
          {(list) => (
            <Grid
              rowKey={(x) => x.id}
              rows={list}
              empty={t("kit.noInstruments")}
              columns={[
                {
                  title: t("kit.name"),
                  render: (x) => <Named of={x} done={leads && <Calibrate instrument={x} say={say} />} />,
                },
                { title: t("kit.kind"), render: (x) => t(`instrument.${x.kind}`) },
                ...crewColumn,
                {
                  title: t("kit.repeatability"),
                  right: true,
                  render: (x) => (x.repeatabilityDb === null ? "–" : `${dB(x.repeatabilityDb)} dB`),
                },
                { title: t("kit.calibrated"), render: (x) => <Due instrument={x} /> },
              ]}
            />
          )}
        </Await>
        {leads && (
          <Add
            name="instrument"
            kinds={["power-meter", "light-source", "otdr", "microscope", "other"]}
            group="instrument"
            submit={t("kit.addInstrument")}
            repeatability
            onSend={({ kind, name, number, crewId, repeatabilityDb }) =>
              say({
                stream: "instrument",
                streamId: uuid7(),
                kind: "instrument-added",
                body: { crewId, kind, name, number: number || null, repeatabilityDb: repeatabilityDb ?? null },
              })
            }
          />
        )}
      </section>
      <section className="card">
        <h2>{t("kit.lots")}</h2>
        <Await of={lots}>
          {(list) => (
            <Grid
              rowKey={(x) => x.id}
              rows={list}
              empty={t("kit.noLots")}
              columns={[
                {
                  title: t("kit.material"),
                  render: (x) => (
                    <Named
                      of={{ name: x.material, number: null }}
                      done={
                        <Button
                          aria-label={`${t("kit.finished")}: ${x.material} ${x.number}`}
                          onClick={() =>
                            say({ stream: "lot", streamId: x.id, kind: "lot-finished", body: { note: null } })
                          }
                        >
                          {t("kit.finished")}
                        </Button>
                      }
                    />
                  ),
                },
                {
                  title: t("kit.lot"),
                  render: (x) => (
                    <Link to={`/kit?part=recall&lot=${encodeURIComponent(x.number ?? "")}`}>{x.number}</Link>
                  ),
                },
                ...crewColumn,
                {
                  title: t("kit.useBy"),
                  render: (x) => (
                    <span className={x.useBy && x.useBy < today() ? "tone-bad" : ""}>{x.useBy ?? "–"}</span>
                  ),
                },
              ]}
            />
          )}
        </Await>
        <NewLot say={say} />
      </section>
    </>
  );
}

/** What is done to a thing stands under its name: on a phone the rest of the row lies to the right of the screen. */
function Named({ of, done }: { of: { name: string; number: string | null }; done: ReactNode }) {
  return (
    <>
      <b>{of.name}</b> {of.number && <span className="faint">{of.number}</span>}
      {done}
    </>
  );
}

function counts(t: (key: string, args?: Record<string, unknown>) => string, c: S["ToolCounts"]) {
  const said = (["arcs", "charges", "cleaves", "strokes", "litS"] as const).filter((k) => c[k] > 0);
  return said.length === 0 ? "–" : said.map((k) => `${c[k]} ${t(`kit.${k}`)}`).join(", ");
}

const RESETS: Record<string, string[]> = {
  cleaver: ["blade-turned", "blade-changed"],
  splicer: ["charged", "electrodes-changed"],
  oven: ["charged"],
  "red-light-source": ["charged"],
};

function ToolDone({ tool, say, leads }: { tool: S["ToolState"]; say: (d: StreamDraft) => unknown; leads: boolean }) {
  const { t } = useTranslation();
  const of = { stream: "tool" as const, streamId: tool.id };
  return (
    <div className="row">
      {(RESETS[tool.kind] ?? ["serviced"]).map((what) => (
        <Button
          key={what}
          aria-label={`${t(`reset.${what}`)}: ${tool.name}`}
          onClick={() => say({ ...of, kind: "tool-reset", body: { what, note: null } })}
        >
          {t(`reset.${what}`)}
        </Button>
      ))}
      {tool.dueOn && (
        <span className={tool.dueOn < today() ? "tone-bad" : "faint"}>
          {t("kit.holdsUntil", { day: dayText(tool.dueOn) })}
          {tool.dueOn < today() && ` · ${t("kit.overdue")}`}
        </span>
      )}
      {leads && tool.kind !== "film-sheet" && (
        <Serviced
          label={t("kit.servicedUntil", { tool: tool.name })}
          say={(dueOn) => say({ ...of, kind: "tool-reset", body: { what: "serviced", note: null, dueOn } })}
        />
      )}
      {(leads || tool.kind === "film-sheet") && (
        <Button
          aria-label={`${t("kit.retire")}: ${tool.name}`}
          onClick={() => say({ ...of, kind: "tool-retired", body: { note: null } })}
        >
          {t("kit.retire")}
        </Button>
      )}
    </div>
  );
}

function Due({ instrument }: { instrument: S["InstrumentState"] }) {
  const { t } = useTranslation();
  const last = instrument.calibrations.at(-1);
  if (!last) return <span className="faint">{t("kit.never")}</span>;
  const over = last.dueOn !== null && last.dueOn < today();
  return (
    <span className={over ? "tone-bad" : ""}>
      {dayText(last.on)}
      {last.dueOn && ` → ${dayText(last.dueOn)}`}
      {over && ` · ${t("kit.overdue")}`}
    </span>
  );
}

/** Until when a service holds: said with a button, so that a day half typed is none. */
function Serviced({ label, say }: { label: string; say: (dueOn: string) => unknown }) {
  const { t } = useTranslation();
  const [day, setDay] = useState<string | null>(null);
  return (
    <form
      className="row middle"
      onSubmit={(e) => {
        e.preventDefault();
        if (day) say(day);
        setDay(null);
      }}
    >
      <span className="faint">{t("kit.serviced")}</span>
      <DayField aria-label={label} value={day} onChange={setDay} />
      <Button htmlType="submit" disabled={!day}>
        {t("kit.sayServiced")}
      </Button>
    </form>
  );
}

function Calibrate({ instrument, say }: { instrument: S["InstrumentState"]; say: (d: StreamDraft) => unknown }) {
  const { t } = useTranslation();
  const [form] = Form.useForm();
  const send = (v: { on: string; dueOn?: string | null; repeatabilityDb?: number }) => {
    say({
      stream: "instrument",
      streamId: instrument.id,
      kind: "calibrated",
      body: {
        on: v.on,
        dueOn: v.dueOn ?? null,
        repeatabilityDb: v.repeatabilityDb ?? null,
        certificate: null,
      },
    });
    form.resetFields();
  };
  return (
    <details>
      <summary>{t("kit.calibrate")}</summary>
      <Form form={form} name={`calibrate-${instrument.id}`} layout="vertical" onFinish={send}>
        <div className="row">
          <Form.Item name="on" label={t("kit.on")} rules={[{ required: true }]}>
            <DayField />
          </Form.Item>
          <Form.Item name="dueOn" label={t("kit.dueOn")}>
            <DayField />
          </Form.Item>
          <Form.Item name="repeatabilityDb" label={t("kit.repeatabilityDb")}>
            <InputNumber step={0.01} min={0} max={0.5} />
          </Form.Item>
          <Form.Item label=" ">
            <Button htmlType="submit">{t("kit.sayCalibrated")}</Button>
          </Form.Item>
        </div>
      </Form>
    </details>
  );
}

type Added = { kind: string; name: string; number?: string; crewId: string; repeatabilityDb?: number };

function Add(props: {
  name: string;
  kinds: string[];
  group: string;
  submit: string;
  repeatability?: boolean;
  onSend: (v: Added) => unknown;
}) {
  const { t } = useTranslation();
  const [form] = Form.useForm<Added>();
  const options = useChoices();
  const crews = useCrews();
  const person = useSession().data?.person;
  return (
    <Form
      className="above"
      form={form}
      name={props.name}
      layout="vertical"
      initialValues={{ kind: props.kinds[0], crewId: person?.crewId ?? undefined }}
      onFinish={async (v) => {
        await props.onSend(v);
        form.resetFields(["name", "number"]);
      }}
    >
      <div className="row">
        <Form.Item name="kind" label={t("kit.kind")}>
          <Select className="w-m" options={options(props.group, props.kinds)} />
        </Form.Item>
        <Form.Item name="name" label={t("kit.name")} rules={[{ required: true, max: 60 }]}>
          <Input className="w-m" />
        </Form.Item>
        <Form.Item name="number" label={t("kit.number")} rules={[{ max: 60 }]}>
          <Input className="w-s" />
        </Form.Item>
        {props.repeatability && (
          <Form.Item name="repeatabilityDb" label={t("kit.repeatabilityDb")}>
            <InputNumber step={0.01} min={0} max={0.5} className="w-s" />
          </Form.Item>
        )}
        <Form.Item
          name="crewId"
          label={t("assign.crew")}
          rules={[{ required: true }]}
          hidden={person?.role !== "office"}
        >
          <Select className="w-m" options={(crews.data ?? []).map((c) => ({ value: c.crewId, label: c.name }))} />
        </Form.Item>
        <Form.Item label=" ">
          <Button htmlType="submit">{props.submit}</Button>
        </Form.Item>
      </div>
    </Form>
  );
}

function NewLot({ say }: { say: (d: StreamDraft) => unknown }) {
  const { t } = useTranslation();
  const [form] = Form.useForm();
  const crewId = useSession().data?.person?.crewId;
  if (!crewId) return <Alert type="info" title={t("kit.lotsByCrew")} />;
  return (
    <Form
      className="above"
      form={form}
      name="lot"
      layout="vertical"
      onFinish={async (v: { material: string; number: string; useBy?: string | null }) => {
        const body = { crewId, material: v.material, number: v.number, useBy: v.useBy ?? null };
        await say({ stream: "lot", streamId: uuid7(), kind: "lot-opened", body });
        form.resetFields();
      }}
    >
      <div className="row">
        <Form.Item name="material" label={t("kit.material")} rules={[{ required: true, max: 60 }]}>
          <Input className="w-m" />
        </Form.Item>
        <Form.Item name="number" label={t("kit.lot")} rules={[{ required: true, max: 60 }]}>
          <Input className="w-s" />
        </Form.Item>
        <Form.Item label=" ">
          <Scan label={t("scan.scan")} onRead={(text) => form.setFieldValue("number", text.trim().slice(0, 60))} />
        </Form.Item>
        <Form.Item name="useBy" label={t("kit.useBy")}>
          <DayField />
        </Form.Item>
        <Form.Item label=" ">
          <Button htmlType="submit">{t("kit.openLot")}</Button>
        </Form.Item>
      </div>
    </Form>
  );
}
