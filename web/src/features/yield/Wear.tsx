import { Select } from "antd";
import { useTranslation } from "react-i18next";
import { api, type S } from "../../api/client";
import { useTools } from "../../api/hooks";
import { Await, Grid, Nothing } from "../../ui/Parts";
import { Lines } from "./Charts";
import { percent } from "./words";

/** What wears with each connector, the likeliest first. */
const WORN: S["ToolKind"][] = ["cleaver", "splicer", "film-sheet", "polishing-puck"];

/** What went back against the wear of one tool, and the count from which it was otherwise. */
export function Wear({ toolId, onChoose }: { toolId?: string; onChoose: (toolId: string) => void }) {
  const { t } = useTranslation();
  const tools = useTools();
  const worn = WORN.flatMap((kind) => (tools.data ?? []).filter((k) => k.kind === kind));
  const chosen = toolId ?? worn[0]?.id;
  const of = api.useQuery(
    "get",
    "/api/yield/wear",
    { params: { query: { toolId: chosen ?? "" } } },
    { enabled: !!chosen },
  );
  if (tools.data && worn.length === 0) return <Nothing text={t("yield.noTools")} />;
  return (
    <>
      <Select
        className="w-l below noprint"
        aria-label={t("yield.bys.tool")}
        value={chosen}
        onChange={onChoose}
        options={worn.map((k) => ({ value: k.id, label: [k.name, k.number].filter(Boolean).join(" ") }))}
      />
      <Await of={of}>
        {(w) => {
          const { steps, chart, changeAtUses } = w.found;
          const all = steps.reduce((sum, s) => sum + s.made, 0);
          if (all === 0) return <Nothing text={t("yield.noWear")} />;
          const count = (n: number) => `${n} ${t(`yield.wornBy.${w.unit}`)}`;
          return (
            <>
              <p className="said">
                {changeAtUses !== null && chart
                  ? t((chart.after ?? 0) > (chart.before ?? 0) ? "yield.wornSince" : "yield.betterSince", {
                      uses: count(changeAtUses),
                      before: percent(chart.before ?? 0, 1),
                      after: percent(chart.after ?? 0, 1),
                    })
                  : t(chart ? "yield.notWorn" : "yield.wearTooFew", { count: all })}{" "}
                {t("yield.renewed", { count: w.renewed.length })}
              </p>
              {chart && (
                <div className="charts">
                  <Lines
                    title={t("yield.wearChart")}
                    chart={chart}
                    ends={[count(steps[0]?.fromUses ?? 0), count(steps.at(-1)?.toUses ?? 0)]}
                    say={(v) => percent(v)}
                    unit={t("yield.unit.steps")}
                  />
                </div>
              )}
              <Grid
                rowKey={(s) => `${s.fromUses} ${s.toUses} ${s.made}`}
                rows={steps}
                columns={[
                  { title: t(`yield.wornBy.${w.unit}`), render: (s) => `${s.fromUses} – ${s.toUses}` },
                  { title: t("yield.made"), right: true, render: (s) => s.made },
                  { title: t("yield.wentBack"), right: true, render: (s) => s.bad },
                  {
                    title: t("yield.interval"),
                    right: true,
                    render: (s) => `${percent(s.bads.low, 1)} – ${percent(s.bads.high, 1)}`,
                  },
                ]}
              />
            </>
          );
        }}
      </Await>
    </>
  );
}
