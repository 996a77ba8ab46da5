import { useTranslation } from "react-i18next";
import type { S } from "../../api/client";
import { dayText } from "../../ui/settings";
import { nameOfGroup, percent } from "./words";

// On a phone the drawing is as wide as the screen, so that its words stay as large as they are.
const W = Math.min(560, Math.max(300, window.innerWidth - 60));
const [LEFT, RIGHT, TOP, BOTTOM] = [W < 480 ? 110 : 170, 20, 10, 30];
const MOST = 14;

/** Each group's share with its interval, over the band in which a group of that size and mix lies by chance. */
export function Ranges({ of }: { of: S["YieldAnswer"] }) {
  const { t } = useTranslation();
  const groups = of.groups.slice(0, MOST);
  const least = Math.floor(Math.min(0.9, ...groups.map((g) => Math.min(g.rate.low, g.rate.funnelLow))) * 10) / 10;
  const row = 24;
  const height = TOP + groups.length * row + BOTTOM;
  const x = (share: number) => LEFT + ((share - least) / (1 - least)) * (W - LEFT - RIGHT);
  return (
    <figure className="chart">
      <figcaption>{t("yield.ranges")}</figcaption>
      <svg viewBox={`0 0 ${W} ${height}`} role="img" aria-label={t("yield.ranges")}>
        {[least, (1 + least) / 2, 1].map((s) => (
          <g key={s}>
            <line x1={x(s)} x2={x(s)} y1={TOP} y2={height - BOTTOM} className="rule" />
            <text x={x(s)} y={height - 10} textAnchor={s === 1 ? "end" : "middle"}>
              {percent(s)}
            </text>
          </g>
        ))}
        {groups.map((g, i) => {
          const y = TOP + (i + 0.5) * row;
          const r = g.rate;
          const name = g.key === null ? t("yield.somebody") : nameOfGroup(t, of.by, g.key, g.name);
          return (
            <g key={g.key ?? i}>
              <text x={LEFT - 8} y={y + 4} textAnchor="end">
                {name.length > LEFT / 7 ? `${name.slice(0, Math.floor(LEFT / 7) - 1)}…` : name}
              </text>
              <rect
                x={x(r.funnelLow)}
                width={Math.max(1, x(r.funnelHigh) - x(r.funnelLow))}
                y={y - 8}
                height={16}
                className="band"
              />
              <line x1={x(r.low)} x2={x(r.high)} y1={y} y2={y} className="mean" />
              <circle
                cx={x(r.rate)}
                cy={y}
                r={4.5}
                className={r.outsideOfAll === "below" ? "mark bad" : r.outsideOfAll === "above" ? "mark good" : "mark"}
              />
            </g>
          );
        })}
      </svg>
    </figure>
  );
}

/** What went back, week by week, with the limits of chance and the week from which it was otherwise. */
export function Weeks({ trend }: { trend: S["YieldTrend"] }) {
  const { t } = useTranslation();
  const { chart, weeks } = trend;
  const height = 250;
  const left = 46;
  const most = Math.max(0.1, ...chart.points.map((p) => Math.min(1, Math.max(p.value, p.high))));
  const x = (i: number) => left + (weeks.length === 1 ? 0 : (i / (weeks.length - 1)) * (W - left - RIGHT));
  const y = (v: number) => TOP + (1 - v / most) * (height - TOP - BOTTOM);
  const line = (of: (p: S["ControlPoint"]) => number) =>
    `M${chart.points.map((p, i) => `${x(i).toFixed(1)} ${y(Math.min(most, of(p))).toFixed(1)}`).join("L")}`;
  const rules = [...new Set(chart.points.flatMap((p) => p.rules))];
  return (
    <figure className="chart">
      <figcaption>{t("yield.weeks")}</figcaption>
      <svg viewBox={`0 0 ${W} ${height}`} role="img" aria-label={t("yield.weeks")}>
        {[0, most / 2, most].map((v) => (
          <g key={v}>
            <line x1={left} x2={W - RIGHT} y1={y(v)} y2={y(v)} className="rule" />
            <text x={left - 6} y={y(v) + 4} textAnchor="end">
              {percent(v)}
            </text>
          </g>
        ))}
        <path className="curve" strokeDasharray="2 4" d={line((p) => p.high)} />
        <path className="curve" strokeDasharray="2 4" d={line((p) => p.low)} />
        <line x1={left} x2={W - RIGHT} y1={y(chart.centre)} y2={y(chart.centre)} className="here" />
        <path className="curve chosen" d={line((p) => p.value)} />
        {chart.points.map(
          (p, i) =>
            p.rules.length > 0 && <circle key={weeks[i]} cx={x(i)} cy={y(p.value)} r={5} className="mark bad" />,
        )}
        {chart.changeAt != null && (
          <line x1={x(chart.changeAt)} x2={x(chart.changeAt)} y1={TOP} y2={height - BOTTOM} className="limit" />
        )}
        {[0, weeks.length - 1].map((i) => (
          <text key={i} x={x(i)} y={height - 10} textAnchor={i === 0 ? "start" : "end"}>
            {dayText(weeks[i] ?? "")}
          </text>
        ))}
      </svg>
      {rules.length > 0 && (
        <p className="faint">
          {rules
            .map((r) => t(`yield.rule.${r}`, { count: chart.points.filter((p) => p.rules.includes(r)).length }))
            .join("; ")}
        </p>
      )}
    </figure>
  );
}
