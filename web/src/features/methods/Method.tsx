import { useQueryClient } from "@tanstack/react-query";
import { Alert, Button, Form, Input, Select } from "antd";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import { useNavigate, useParams } from "react-router";
import { answered, http, type S, stale } from "../../api/client";
import { usePaper, useProcedures, useSession, useTable } from "../../api/hooks";
import { ActDrawing, AnswerDrawing } from "../../domain/acts/ActDrawing";
import { PrepDrawing } from "../../domain/PrepDrawing";
import { PrepNumbers } from "../../domain/PrepNumbers";
import { chosenSchools } from "../../engine/project";
import { Await, Sideways, useChoices, useFault } from "../../ui/Parts";
import { useLength, useWords } from "../../ui/settings";
import { download } from "./download";

/** A procedure to read: dimensions, steps in order, and what happens when a check goes wrong. */
export default function Method() {
  const { t } = useTranslation();
  const words = useWords();
  const { procedureId, version } = useParams();
  const [of, setOf] = useState<Record<string, string>>({});
  const table = useTable(procedureId, Number(version), undefined, of);
  const length = useLength();
  const options = useChoices();
  return (
    <Await of={table}>
      {(p) => (
        <>
          <div className="row">
            <h1>{p.title}</h1>
            <span className="grow" />
            <Button onClick={() => download(p.procedureId, p.version)}>{t("methods.export")}</Button>
          </div>
          <p className="faint">
            {t("methods.version", { v: p.version })} · {p.source}
          </p>
          <Warned table={p} />
          <Yours table={p} />
          {p.schools.some((x) => x.ofEnd) && (
            <section className="card row middle">
              <b>{t("methods.differsBy")}</b>
              {p.schools
                .filter((x) => x.ofEnd)
                .map((x) => (
                  <label key={x.option} className="row middle">
                    {t(`methods.by.${x.option}`)}
                    <Select
                      aria-label={t(`methods.by.${x.option}`)}
                      className="w-s"
                      value={x.choice}
                      options={options(x.option === "polish" ? "" : x.option, x.choices ?? [])}
                      onChange={(c) => setOf({ ...of, [x.option]: c })}
                    />
                  </label>
                ))}
            </section>
          )}
          {chosenSchools(p).length > 0 && (
            <section className="card">
              <h2>{t("bench.schools")}</h2>
              <ul>
                {chosenSchools(p).map((x) => (
                  <li key={x.option}>
                    {x.question} <b>{x.label}</b> <span className="faint">{x.why}</span>
                  </li>
                ))}
              </ul>
            </section>
          )}
          <Sideways card>
            <PrepDrawing prep={p.prep} />
          </Sideways>
          <div className="cols">
            <section className="card">
              <h2>{t("prep.title")}</h2>
              <PrepNumbers prep={p.prep} />
            </section>
            <section className="card">
              <h2>{t("prep.parts")}</h2>
              <ol>
                {p.parts.map((x) => (
                  <li key={x.id}>
                    {x.name}
                    {x.threaded && <b> · {t("prep.threaded")}</b>}
                  </li>
                ))}
              </ol>
            </section>
          </div>
          <section className="card">
            <h2>{t("methods.steps")}</h2>
            <ol>
              {p.states.map((s) => (
                <li key={s.id} className="below drawn">
                  <span className="faint">{t(`phase.${s.phase}`)} · </span>
                  <b>{words(s.act)}</b>
                  <ActDrawing
                    state={s}
                    table={p}
                    form={p.schools.find((x) => x.option === "form")?.choice as S["ConnectorForm"] | undefined}
                  />
                  {s.dimensions.map(
                    (d) => ` · ${length(d.lengthMm)}${d.toleranceMm ? ` ± ${length(d.toleranceMm)}` : ""}`,
                  )}
                  {s.timer && ` · ${s.timer.durationS} s`}
                  {s.count &&
                    ` · ${s.count.min === s.count.max ? s.count.min : `${s.count.min}–${s.count.max}`} ${s.count.what}`}
                  {s.question && (
                    <>
                      <br />
                      {s.question}{" "}
                      {s.answers.map((a) => (
                        <span key={a.id} className={`tone-${a.tone}`}>
                          <AnswerDrawing state={s} answer={a} />
                          {a.label}
                          {s.on[a.id]?.ladder ? ` → ${p.ladders.find((l) => l.id === s.on[a.id]?.ladder)?.title}` : ""}{" "}
                          ·{" "}
                        </span>
                      ))}
                    </>
                  )}
                </li>
              ))}
            </ol>
          </section>
          <section className="card">
            <h2>{t("bench.preflight")}</h2>
            <ul>
              {p.preflight.map((x) => (
                <li key={x.id}>
                  {words(x.text)} <span className="faint">{words(x.why)}</span>
                </li>
              ))}
            </ul>
          </section>
          <h2>{t("methods.ladder")}</h2>
          <div className="cols">
            {p.ladders.map((l) => (
              <section className="card" key={l.id}>
                <h3>{l.title}</h3>
                <ol>
                  {l.uses.map((u, i) => (
                    // biome-ignore lint/suspicious/noArrayIndexKey: the same rung may stand twice
                    <li key={i}>
                      {words(u.act)}
                      <br />
                      <span className="faint">
                        {u.to
                          ? t("methods.backTo", { step: words(p.states.find((s) => s.id === u.to)?.act) })
                          : t("methods.newAttempt")}{" "}
                        ·{" "}
                        {t("methods.ladderCost", {
                          minutes: u.minutes,
                          slack: length(u.slackMm),
                          parts: u.parts.length ? u.parts.join(", ") : t("methods.noParts"),
                        })}
                      </span>
                    </li>
                  ))}
                </ol>
              </section>
            ))}
          </div>
          <p className="law">{t("app.law")}</p>
        </>
      )}
    </Await>
  );
}

/** What stands against a company's own procedure by the rules of today: what is published stays, and is told of it. */
function Warned({ table }: { table: S["RunTable"] }) {
  const { t } = useTranslation();
  const own = useProcedures().data?.some((p) => p.own && p.id === table.procedureId);
  const faults = usePaper(own ? table.procedureId : "", table.version).data?.faults ?? [];
  if (faults.length === 0) return null;
  return (
    <Alert
      type="warning"
      showIcon
      className="apart"
      title={t("methods.tradeFaults")}
      description={
        <ul>
          {faults.map((f) => (
            <li key={`${f.code} ${f.field}`}>
              {f.message} <span className="faint">{f.field}</span>
            </li>
          ))}
        </ul>
      }
    />
  );
}

/** Copies a procedure for your company, or begins the next version of your own. */
function Yours({ table }: { table: S["RunTable"] }) {
  const { t } = useTranslation();
  const role = useSession().data?.person?.role;
  const list = useProcedures();
  const fault = useFault();
  const client = useQueryClient();
  const navigate = useNavigate();
  const [form] = Form.useForm();
  const own = list.data?.some((p) => p.own && p.id === table.procedureId);
  if (role !== "lead" && role !== "office") return null;
  const copy = async (id: string, title: string) => {
    try {
      const body = {
        procedureId: table.procedureId,
        version: table.version,
        id,
        title,
      };
      const made = await answered(http.POST("/api/procedures/copies", { body }));
      await stale(client, "/api/procedures");
      navigate(`/methods/${made.id}/${made.version}/edit`);
    } catch (e) {
      fault(e, form);
    }
  };
  return (
    <section className="card">
      <h2>{t(own ? "methods.nextVersion" : "methods.makeYours")}</h2>
      {own ? (
        <Button type="primary" onClick={() => copy(table.procedureId, table.title)}>
          {t("methods.beginNext")}
        </Button>
      ) : (
        <Form
          form={form}
          layout="vertical"
          initialValues={{ id: `our-${table.procedureId}`, title: table.title }}
          onFinish={(v) => copy(v.id, v.title)}
        >
          <div className="row">
            <Form.Item name="title" label={t("methods.name")} rules={[{ required: true }]}>
              <Input className="w-xl" />
            </Form.Item>
            <Form.Item name="id" label={t("methods.id")} rules={[{ required: true }]}>
              <Input className="w-l" />
            </Form.Item>
            <Form.Item>
              <Button htmlType="submit">{t("methods.copy")}</Button>
            </Form.Item>
          </div>
        </Form>
      )}
    </section>
  );
}
