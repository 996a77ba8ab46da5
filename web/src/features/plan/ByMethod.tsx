import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { Checkbox, InputNumber, Segmented } from "antd";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import { answered, api, http, type S } from "../../api/client";
import { Await, Grid, Nothing } from "../../ui/Parts";
import { percent } from "./Bring";

/** Cost, time, loss and slack risk of every procedure that fits; what is right, and what would change that. */
export function ByMethod({ jobId }: { jobId: string }) {
  const { t } = useTranslation();
  const methods = api.useQuery("get", "/api/jobs/{jobId}/methods", { params: { path: { jobId } } });
  const [at, setAt] = useState(0);
  return (
    <section className="card" id="by-method">
      <h2>{t("byMethod.title")}</h2>
      <Await of={methods}>
        {(m) => {
          const group = m.groups[Math.min(at, m.groups.length - 1)];
          if (!group) return <Nothing text={t("bring.nothing")} />;
          return (
            <>
              {m.groups.length > 1 && (
                <Segmented
                  className="below wrap"
                  aria-label={t("byMethod.which")}
                  value={at}
                  onChange={(v) => setAt(v as number)}
                  options={m.groups.map((g, i) => ({
                    value: i,
                    label: `${g.ends} × ${t(`form.${g.form}`)}/${g.polish}, ${g.fiberClass}, ${t(`construction.${g.construction}`)}`,
                  }))}
                />
              )}
              <Compared
                key={`${group.form}${group.polish}${group.fiberClass}${group.construction}`}
                group={group}
                titles={m.titles}
                currency={m.currency}
                riskShown={m.riskShown}
              />
            </>
          );
        }}
      </Await>
    </section>
  );
}

function Compared(props: {
  group: S["MethodGroup"];
  titles: Record<string, string>;
  currency: string;
  riskShown: number;
}) {
  const { t } = useTranslation();
  const { group, titles, currency } = props;
  const [ends, setEnds] = useState(group.ask.ends);
  const [limitDb, setLimit] = useState(group.ask.limitDb);
  const [wage, setWage] = useState(group.ask.wagePerHour);
  const [budget, setBudget] = useState<number | null>(null);
  const [owned, setOwned] = useState<string[]>(group.ask.methods.filter((m) => m.toolCost === 0).map((m) => m.name));
  const ask: S["CompareAsk"] = {
    ends,
    limitDb,
    wagePerHour: wage,
    budget,
    methods: group.ask.methods.map((m) => (owned.includes(m.name) ? { ...m, toolCost: 0 } : m)),
  };
  const answer = useQuery({
    queryKey: ["compare", ask],
    queryFn: () => answered(http.POST("/api/calc/compare", { body: ask })),
    placeholderData: keepPreviousData,
    initialData: undefined,
  });
  const of = answer.data ?? group.answer;
  const title = (name: string) => titles[name] ?? name;
  // In a drawing the method's own name will do where one procedure of it is shown.
  const brief = (name: string) => {
    const method = group.options.find((o) => o.procedureId === name)?.method;
    return group.options.filter((o) => o.method === method).length === 1 ? t(`method.${method}`) : title(name);
  };
  const unit = currency ? ` ${currency}` : "";
  return (
    <>
      <p className="said">{sentence(t, of, title, unit)}</p>
      <div className="row middle below">
        <Field label={t("byMethod.ends")} value={ends} min={1} max={100000} precision={0} onChange={setEnds} />
        <Field label={t("byMethod.limit")} value={limitDb} min={0.01} max={10} step={0.05} onChange={setLimit} />
        <Field label={t("byMethod.wage")} value={wage} min={0} max={100000} step={5} onChange={setWage} />
        <div className="pick">
          <div className="faint">{t("byMethod.budget")}</div>
          <InputNumber
            aria-label={t("byMethod.budget")}
            className="w-s"
            min={0}
            value={budget}
            placeholder={t("byMethod.noBudget")}
            onChange={setBudget}
          />
        </div>
      </div>
      <Grid
        rowKey={(x) => x.option.procedureId}
        rows={group.options
          .map((option, i) => ({ option, cost: of.methods[i], figures: group.ask.methods[i] }))
          .sort((a, b) => (a.cost?.costPerAccepted ?? 0) - (b.cost?.costPerAccepted ?? 0))}
        columns={[
          {
            title: t("bring.method"),
            render: ({ option }) => (
              <span className="wide">
                {option.procedureId === of.choice.name ? <b>{title(option.procedureId)}</b> : title(option.procedureId)}
                {group.planned.includes(option.procedureId) && (
                  <span className="faint"> · {t("byMethod.planned")}</span>
                )}
              </span>
            ),
          },
          {
            title: t("byMethod.cost"),
            right: true,
            render: ({ cost }) => (
              <span className={cost?.overBudget ? "tone-doubtful" : undefined}>
                {`${cost?.costPerAccepted.toFixed(2)}${unit}`}
                {cost?.overBudget && ` · ${t("byMethod.overBudget")}`}
              </span>
            ),
          },
          { title: t("byMethod.hours"), right: true, render: ({ cost }) => `${cost?.hours.toFixed(1)} h` },
          {
            title: t("byMethod.over"),
            right: true,
            render: ({ option, cost }) => (
              <span className={(cost?.shareOverLimit ?? 0) > 0.02 ? "tone-doubtful" : undefined}>
                {percent(cost?.shareOverLimit ?? 0, 1)}{" "}
                <span className="faint">
                  {option.lossCounted === 0 ? t("bring.assumed") : t("byMethod.traces", { count: option.lossCounted })}
                </span>
              </span>
            ),
          },
          {
            title: t("byMethod.slack"),
            right: true,
            render: ({ option }) => (
              <span className={option.endsAtRisk > 0 ? "tone-doubtful" : undefined}>
                {percent(option.worstSlackRisk)}
                {option.endsAtRisk > 0 && ` · ${t("byMethod.atRisk", { count: option.endsAtRisk })}`}
              </span>
            ),
          },
          {
            title: t("bring.firstPass"),
            right: true,
            render: ({ option }) => (
              <>
                {percent(option.firstPass, 1)}{" "}
                <span className="faint">
                  {option.counted === 0 ? t("bring.assumed") : t("bring.counted", { count: option.counted })}
                </span>
              </>
            ),
          },
          {
            title: t("byMethod.owned"),
            render: ({ option, figures }) => (
              <Checkbox
                checked={owned.includes(option.procedureId)}
                onChange={(e) =>
                  setOwned(
                    e.target.checked ? [...owned, option.procedureId] : owned.filter((n) => n !== option.procedureId),
                  )
                }
              >
                <span className="unseen">{title(option.procedureId)}</span>
                {figures && figures.toolCost > 0 ? `${figures.toolCost}${unit}` : t("byMethod.have")}
              </Checkbox>
            ),
          },
        ]}
      />
      <div className="charts">
        <CostChart of={of} ends={ends} title={brief} unit={unit} />
        <LossChart ask={ask} title={brief} />
      </div>
      <p className="faint">{t("byMethod.how")}</p>
    </>
  );
}

function Field(props: {
  label: string;
  value: number;
  min: number;
  max: number;
  step?: number;
  precision?: number;
  onChange: (v: number) => void;
}) {
  return (
    <label className="pick">
      <div className="faint">{props.label}</div>
      <InputNumber
        aria-label={props.label}
        className="w-s"
        value={props.value}
        min={props.min}
        max={props.max}
        step={props.step ?? 1}
        precision={props.precision}
        onChange={(v) => v !== null && props.onChange(v)}
      />
    </label>
  );
}

type Words = (key: string, args?: Record<string, unknown>) => string;

/** Which and why, and what would change it, in plain words. */
function sentence(t: Words, of: S["Comparison"], title: (name: string) => string, unit: string) {
  const { choice } = of;
  const why =
    choice.withinLimit === 0
      ? t("byMethod.noneKeeps", { name: title(choice.name) })
      : choice.withinLimit === 1
        ? t("byMethod.onlyOne", { name: title(choice.name) })
        : !choice.next
          ? t("byMethod.alike", { name: title(choice.name) })
          : t("byMethod.cheapest", {
              name: title(choice.name),
              saves: `${(choice.saves ?? 0).toFixed(2)}${unit}`,
              next: title(choice.next ?? ""),
            });
  const changes = choice.changes.map((c) =>
    t(`byMethod.change.${c.kind}`, {
      name: title(c.name),
      at: c.kind === "more-ends" || c.kind === "fewer-ends" ? c.at : c.at.toFixed(2),
    }),
  );
  return [why, ...changes].join(" ");
}

const [W, H, LEFT, BOTTOM, TOP, RIGHT] = [560, 250, 46, 30, 12, 150];
const dashes = ["", "7 3", "2 3", "9 3 2 3", "12 4", "4 2", "1 3", "6 2 1 2 1 2"];

/** A round number at or above. */
const roundUp = (v: number) => {
  const unit = 10 ** Math.floor(Math.log10(Math.max(v, 1e-9)));
  return Math.ceil(v / unit) * unit;
};

/** Cost of an accepted connector by the number of ends; each line says its own name at its end. */
function CostChart(props: { of: S["Comparison"]; ends: number; title: (name: string) => string; unit: string }) {
  const { t } = useTranslation();
  const { of, ends } = props;
  const from = of.curve.find((p) => p.ends >= Math.min(10, ends))?.ends ?? 1;
  const points = of.curve.filter((p) => p.ends >= from);
  const last = points.at(-1);
  if (!last) return null;
  const most = roundUp(3 * Math.max(...last.costPerAccepted));
  const span = Math.log(last.ends / from) || 1;
  const x = (n: number) => LEFT + (Math.log(n / from) / span) * (W - LEFT - RIGHT);
  const y = (c: number) => TOP + (1 - Math.min(c, most) / most) * (H - TOP - BOTTOM);
  const named = spread(
    of.methods.map((m, i) => ({ name: m.name, i, y: y(last.costPerAccepted[i] ?? 0) })),
    13,
    H - BOTTOM,
  );
  return (
    <figure className="chart">
      <figcaption>{t("byMethod.costChart", { unit: props.unit })}</figcaption>
      <svg viewBox={`0 0 ${W} ${H}`} role="img" aria-label={t("byMethod.costChart", { unit: props.unit })}>
        {[0, 0.5, 1].map((share) => (
          <g key={share}>
            <line x1={LEFT} x2={W - RIGHT} y1={y(most * share)} y2={y(most * share)} className="rule" />
            <text x={LEFT - 6} y={y(most * share) + 4} textAnchor="end">
              {+(most * share).toFixed(1)}
            </text>
          </g>
        ))}
        {[...new Set([from, ends, last.ends])].map((n) => (
          <text key={n} x={x(n)} y={H - 10} textAnchor={n === from ? "start" : n === last.ends ? "end" : "middle"}>
            {n}
          </text>
        ))}
        <line x1={x(ends)} x2={x(ends)} y1={TOP} y2={H - BOTTOM} className="here" />
        {of.methods.map((m, i) => (
          <path
            key={m.name}
            className={m.name === of.choice.name ? "curve chosen" : "curve"}
            strokeDasharray={dashes[i % dashes.length]}
            d={`M${points.map((p) => `${x(p.ends).toFixed(1)} ${y(p.costPerAccepted[i] ?? 0).toFixed(1)}`).join("L")}`}
          />
        ))}
        {named.map((m) => (
          <text key={m.name} x={W - RIGHT + 6} y={m.y + 4} className={m.name === of.choice.name ? "chosen" : undefined}>
            {short(props.title(m.name))}
          </text>
        ))}
      </svg>
    </figure>
  );
}

/** Where each method's pairs lie, against the limit: nineteen of twenty within the bar, half on either side of the mark. */
function LossChart({ ask, title }: { ask: S["CompareAsk"]; title: (name: string) => string }) {
  const { t } = useTranslation();
  const row = 22;
  const height = TOP + ask.methods.length * row + BOTTOM;
  const most = roundUp(Math.max(ask.limitDb * 1.2, ...ask.methods.map((m) => m.lossMeanDb + 2 * m.lossSdDb)));
  const x = (db: number) => LEFT + 100 + (Math.max(0, db) / most) * (W - LEFT - 120);
  return (
    <figure className="chart">
      <figcaption>{t("byMethod.lossChart")}</figcaption>
      <svg viewBox={`0 0 ${W} ${height}`} role="img" aria-label={t("byMethod.lossChart")}>
        {ask.methods.map((m, i) => {
          const y = TOP + (i + 0.5) * row;
          return (
            <g key={m.name}>
              <text x={LEFT + 92} y={y + 4} textAnchor="end">
                {short(title(m.name))}
              </text>
              <rect
                x={x(m.lossMeanDb - 1.96 * m.lossSdDb)}
                width={x(m.lossMeanDb + 1.96 * m.lossSdDb) - x(m.lossMeanDb - 1.96 * m.lossSdDb)}
                y={y - 5}
                height={10}
                rx={2}
                className="spread"
              />
              <line x1={x(m.lossMeanDb)} x2={x(m.lossMeanDb)} y1={y - 7} y2={y + 7} className="mean" />
            </g>
          );
        })}
        <line x1={x(ask.limitDb)} x2={x(ask.limitDb)} y1={TOP} y2={height - BOTTOM + 4} className="limit" />
        <text x={x(ask.limitDb)} y={height - 10} textAnchor="middle">
          {t("byMethod.limitAt", { limit: ask.limitDb.toFixed(2) })}
        </text>
        <text x={x(0)} y={height - 10} textAnchor="middle">
          0
        </text>
      </svg>
    </figure>
  );
}

const short = (title: string) => (title.length > 22 ? `${title.slice(0, 8)}…${title.slice(-12)}` : title);

/** Names one under the other where their lines end close together. */
function spread<T extends { y: number }>(rows: T[], step: number, most: number): T[] {
  const sorted = [...rows].sort((a, b) => a.y - b.y);
  let under = Number.NEGATIVE_INFINITY;
  for (const r of sorted) {
    r.y = Math.max(r.y, under + step);
    under = r.y;
  }
  let over = most;
  for (const r of sorted.reverse()) {
    r.y = Math.min(r.y, over);
    over = r.y - step;
  }
  return sorted;
}
