import { useQuery } from "@tanstack/react-query";
import { Alert, Button, InputNumber } from "antd";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import { ApiError, answered, api, http, type S } from "../../api/client";
import { useFigures } from "../../api/hooks";
import { amountOf } from "../../domain/kitItem";
import { keepMixPlan } from "../../domain/mixPlan";
import { Grid } from "../../ui/Parts";

const ADHESIVE = ["heat-cured-epoxy", "cold-cure"];

/** When to mix, how much, and how many places; for connectors by adhesive, and by hot-melt. */
export function Mixes({ jobId }: { jobId: string }) {
  const kit = api.useQuery("get", "/api/kit", { params: { query: { jobId: [jobId] } } });
  const figures = useFigures().data?.figures;
  if (!figures || !kit.data) return null;
  const made = (method: string) =>
    kit.data.connectors.filter((c) => c.method === method).reduce((sum, c) => sum + c.connectors, 0);
  return (
    <>
      {ADHESIVE.map((method) => {
        const mix = figures.mixes.find((m) => m.method === method);
        return mix && made(method) > 0 && <Mixing key={method} connectors={made(method)} usual={mix} />;
      })}
      {made("hot-melt") > 0 && <Melting connectors={made("hot-melt")} usual={figures.melt} />}
    </>
  );
}

const mixing = ["injectMl", "deadMl", "injectMin", "potLifeMin", "ovenSlots", "cureMin", "warmUpMin"] as const;
const melting = ["ovenSlots", "heatMin", "warmUpMin", "coolingStands", "coolMin", "insertMin"] as const;

function Mixing({ connectors, usual }: { connectors: number; usual: S["MixFigures"] }) {
  const { t } = useTranslation();
  const [count, setCount] = useState(connectors);
  const [mix, setMix] = useState(usual);
  const { method: _, packetMl, ...rest } = mix;
  const ask: S["AdhesiveAsk"] = { connectors: count, ...rest };
  const plan = useQuery({
    queryKey: ["adhesive", ask],
    queryFn: () => answered(http.POST("/api/calc/adhesive", { body: ask })),
    retry: false,
  });
  return (
    <section className="card">
      <h2>{t("mixes.title", { method: t(`method.${usual.method}`) })}</h2>
      <Numbers
        count={count}
        onCount={setCount}
        fields={mixing}
        of={mix}
        onChange={(field, v) => setMix({ ...mix, [field]: v })}
      />
      {plan.error instanceof ApiError && <Alert type="warning" showIcon title={plan.error.message} />}
      {plan.data && (
        <>
          <p className="said">
            {t("mixes.said", {
              count: plan.data.mixes.length,
              batch: Math.max(...plan.data.mixes.map((m) => m.connectors)),
              waste: amountOf(plan.data.wasteMl, "adhesive-ml"),
              finish: hours(plan.data.finishMin),
            })}
          </p>
          <Grid
            rowKey={(m) => `${m.startMin}`}
            rows={plan.data.mixes}
            columns={[
              { title: t("mixes.at"), right: true, render: (m) => hours(m.startMin) },
              { title: t("mixes.connectors"), right: true, render: (m) => m.connectors },
              {
                title: t("mixes.amount"),
                right: true,
                render: (m) =>
                  packetMl > 0
                    ? t("mixes.packets", { count: Math.ceil(m.ml / packetMl - 1e-9), ml: m.ml.toFixed(2) })
                    : `${m.ml.toFixed(2)} ml`,
              },
            ]}
          />
          <Begin
            steps={plan.data.mixes.map((m) => ({
              atMin: m.startMin,
              text: t("mixes.doMix", { count: m.connectors }),
            }))}
            finish={{ atMin: plan.data.finishMin, text: t("mixes.doneCuring") }}
            oven={mix.warmUpMin > 0}
          />
        </>
      )}
    </section>
  );
}

function Melting({ connectors, usual }: { connectors: number; usual: S["MeltFigures"] }) {
  const { t } = useTranslation();
  const [count, setCount] = useState(connectors);
  const [melt, setMelt] = useState(usual);
  const plan = useQuery({
    queryKey: ["hot-melt", count, melt],
    queryFn: () => answered(http.POST("/api/calc/hot-melt", { body: { connectors: count, figures: melt } })),
    retry: false,
  });
  return (
    <section className="card">
      <h2>{t("mixes.title", { method: t("method.hot-melt") })}</h2>
      <Numbers
        count={count}
        onCount={setCount}
        fields={melting}
        of={melt}
        onChange={(field, v) => setMelt({ ...melt, [field]: v })}
      />
      {plan.error instanceof ApiError && <Alert type="warning" showIcon title={plan.error.message} />}
      {plan.data && (
        <>
          <p className="said">
            {t("mixes.meltSaid", {
              first: plan.data.loads[0]?.connectors,
              at: hours(plan.data.loads[0]?.startMin ?? 0),
              every: plan.data.everyMin.toFixed(1),
              bound: t(`mixes.bound.${plan.data.bound}`),
              finish: hours(plan.data.finishMin),
            })}
          </p>
          <Begin
            steps={plan.data.loads.map((l) => ({
              atMin: l.startMin,
              text: t("mixes.doMelt", { count: l.connectors }),
            }))}
            finish={{ atMin: plan.data.finishMin, text: t("mixes.doneCold") }}
            oven
          />
        </>
      )}
    </section>
  );
}

type Step = { atMin: number; text: string };

/** From now on the bench of this device counts down to each step; with other numbers it is begun anew. */
function Begin({ steps, finish, oven }: { steps: Step[]; finish: Step; oven: boolean }) {
  const { t } = useTranslation();
  const plan = JSON.stringify([steps, finish]);
  const [kept, setKept] = useState<string>();
  return (
    <div className="row middle above">
      <Button
        onClick={() => {
          keepMixPlan(steps, finish);
          setKept(plan);
        }}
      >
        {t(oven ? "mixes.begin" : "mixes.beginNow")}
      </Button>
      {kept === plan && <span role="status">{t("mixes.begun")}</span>}
    </div>
  );
}

function Numbers<F extends string>(props: {
  count: number;
  onCount: (v: number) => void;
  fields: readonly F[];
  of: Record<F, number>;
  onChange: (field: F, v: number) => void;
}) {
  const { t } = useTranslation();
  const field = (name: string, value: number, onChange: (v: number) => void) => (
    <label key={name} className="pick" htmlFor={`mix-${name}`}>
      <div className="faint">{t(`mixes.field.${name}`)}</div>
      <InputNumber
        id={`mix-${name}`}
        className="w-s"
        value={value}
        min={0}
        step={name.endsWith("Ml") ? 0.01 : 1}
        onChange={(v) => v !== null && onChange(v)}
      />
    </label>
  );
  return (
    <div className="row middle below">
      {field("connectors", props.count, props.onCount)}
      {props.fields.map((f) => field(f, props.of[f], (v) => props.onChange(f, v)))}
    </div>
  );
}

const hours = (minutes: number) => `${Math.floor(minutes / 60)}:${String(Math.round(minutes % 60)).padStart(2, "0")} h`;
