import { Select } from "antd";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import { api, type S } from "../../api/client";
import { Await, Grid, Nothing } from "../../ui/Parts";
import { Lines } from "./Charts";
import { nameOfGroup, percent } from "./words";

const db = (v: number) => v.toFixed(2);

/** How losses lie, group by group; and the last of them one by one, with what a slow drift shows. */
export function Losses({ by, filters }: { by: S["YieldBy"]; filters: { from: string; crewId?: string } }) {
  const { t } = useTranslation();
  const [kind, setKind] = useState<string>();
  const [asked, nm] = kind?.split(" ") ?? [];
  const of = api.useQuery(
    "get",
    "/api/yield/losses",
    { params: { query: { by, ...filters, kind: asked, wavelengthNm: nm ? Number(nm) : undefined } } },
    { placeholderData: (b: S["YieldLosses"] | undefined) => b },
  );
  return (
    <Await of={of}>
      {(y) =>
        y.shown === null ? (
          <Nothing text={t("yield.noLosses")} />
        ) : (
          <>
            <Select
              className="w-l below noprint"
              aria-label={t("yield.lossOf")}
              value={`${y.shown.kind} ${y.shown.wavelengthNm}`}
              onChange={setKind}
              options={y.kinds.map((k) => ({
                value: `${k.kind} ${k.wavelengthNm}`,
                label: t(`yield.lossKind.${k.kind}`, { nm: k.wavelengthNm }),
              }))}
            />
            <p className="said">{said(t, y)}</p>
            <Grid
              rowKey={(g) => g.key}
              rows={y.found.groups}
              columns={[
                { title: t(`yield.bys.${by}`), render: (g) => nameOfGroup(t, by, g.key, y.names[g.key]) },
                { title: t("yield.readings"), right: true, render: (g) => g.count },
                { title: t("yield.median"), right: true, render: (g) => <b>{db(g.medianDb)}</b> },
                { title: t("yield.ninetieth"), right: true, render: (g) => db(g.ninetiethDb) },
                { title: t("yield.worst"), right: true, render: (g) => db(g.worstDb) },
                {
                  title: t("yield.overLimit"),
                  right: true,
                  render: (g) => (g.overLimit > 0 ? <span className="tone-bad">{g.overLimit}</span> : "–"),
                },
                {
                  title: t("yield.lies"),
                  render: (g) => <Bars bars={g.bars} name={nameOfGroup(t, by, g.key, y.names[g.key])} />,
                },
              ]}
            />
            {y.found.individuals && (
              <div className="charts">
                <Lines
                  title={t("yield.individuals")}
                  chart={y.found.individuals}
                  ends={[t("yield.oldest"), t("yield.newest")]}
                  say={db}
                  unit={t("yield.unit.readings")}
                />
                {y.found.cusum && (
                  <Lines
                    title={t("yield.cusum")}
                    chart={y.found.cusum}
                    ends={[t("yield.oldest"), t("yield.newest")]}
                    say={db}
                    unit={t("yield.unit.readings")}
                  />
                )}
              </div>
            )}
            <p className="faint">{t("yield.lossesHow", { count: y.counted })}</p>
          </>
        )
      }
    </Await>
  );
}

/** The first thing to know: whether it drifts, and since when. */
function said(t: (key: string, args?: Record<string, unknown>) => string, y: S["YieldLosses"]) {
  const all = y.found.groups.reduce((sum, g) => sum + g.count, 0);
  const over = y.found.groups.reduce((sum, g) => sum + g.overLimit, 0);
  const { individuals, cusum } = y.found;
  const drift = cusum?.points.findIndex((p) => p.rules.length > 0) ?? -1;
  const shown = individuals?.points.length ?? 0;
  return [
    t("yield.lossesSaid", { count: all, over, share: percent(all ? over / all : 0, 1) }),
    drift >= 0
      ? t(cusum?.points[drift]?.rules.includes("sum-above") ? "yield.driftsUp" : "yield.driftsDown", {
          count: shown - drift,
        })
      : individuals && t("yield.noDrift"),
  ]
    .filter(Boolean)
    .join(" ");
}

function Bars({ bars, name }: { bars: S["LossBar"][]; name: string }) {
  const { t } = useTranslation();
  const most = Math.max(1, ...bars.map((b) => b.count));
  return (
    <svg
      className="loss-bars"
      viewBox={`0 0 ${bars.length * 8} 30`}
      role="img"
      aria-label={t("yield.barsOf", { name })}
    >
      {bars.map((b, i) => (
        <rect key={b.fromDb} x={i * 8 + 1} width={6} y={29 - (27 * b.count) / most} height={(27 * b.count) / most + 1}>
          <title>{t("yield.bar", { from: db(b.fromDb), count: b.count })}</title>
        </rect>
      ))}
    </svg>
  );
}
