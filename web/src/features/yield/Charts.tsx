import { useTranslation } from "react-i18next";
import type { S } from "../../api/client";
import { dayText } from "../../ui/settings";
import { nameOfGroup, percent } from "./words";

// On a phone the drawing is as wide as the screen, so that its words stay as large as they are.
const W = Math.min(560, Math.max(300, window.innerWidth - 60));
const [LEFT, RIGHT, TOP, BOTTOM] = [W < 480 ? 110 : 170, 20, 10, 30];
const MOST = 14;

const tone = (r: S["GroupRate"]) =>
  r.outsideOfAll === "below" ? "mark bad" : r.outsideOfAll === "above" ? "mark good" : "mark";

/** A point that opens what lies behind it: by a tap, and by keys. */
function Opens(props: { label: string; onOpen?: () => void; children: React.ReactNode }) {
  const { label, onOpen, children } = props;
  if (!onOpen) return <g>{children}</g>;
  return (
    <g
      role="button"
      tabIndex={0}
      aria-label={label}
      className="opens"
      onClick={onOpen}
      onKeyDown={(e) => (e.key === "Enter" || e.key === " ") && onOpen()}
    >
      <title>{label}</title>
      {children}
    </g>
  );
}

/** Each group's share with its interval, over the band in which a group of that size and mix lies by chance. */
export function Ranges({ of, onOpen }: { of: S["YieldAnswer"]; onOpen: (key: string) => void }) {
  const { t } = useTranslation();
  const groups = of.groups.slice(0, MOST);
  const least = Math.floor(Math.min(0.9, ...groups.map((g) => Math.min(g.rate.low, g.rate.funnelLow))) * 10) / 10;
  const row = 24;
  const height = TOP + groups.length * row + BOTTOM;
  const x = (share: number) => LEFT + ((share - least) / (1 - least)) * (W - LEFT - RIGHT);
  return (
    <figure className="chart">
      <figcaption>{t("yield.ranges")}</figcaption>
      <svg viewBox={`0 0 ${W} ${height}`} role="group" aria-label={t("yield.ranges")}>
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
            <Opens
              key={g.key ?? i}
              label={t("yield.point", { what: name, rate: percent(r.rate, 1), made: r.made })}
              onOpen={g.key === null ? undefined : () => onOpen(g.key as string)}
            >
              <rect x={0} width={W} y={y - row / 2} height={row} className="hit" />
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
              <circle cx={x(r.rate)} cy={y} r={4.5} className={tone(r)} />
            </Opens>
          );
        })}
      </svg>
    </figure>
  );
}

/** Groups by how many they made: what lies within the funnel differs by no more than chance. */
export function Funnel({ of, onOpen }: { of: S["YieldAnswer"]; onOpen: (key: string) => void }) {
  const { t } = useTranslation();
  const height = 250;
  const left = 46;
  const made = of.groups.map((g) => g.rate.made).filter((m) => m > 0);
  const [fewest, most] = [Math.max(1, Math.min(...made)), Math.max(...made)];
  // Each is drawn by how far it lies from what is expected of its own mix, so that one funnel holds for all.
  const off = (g: (typeof of.groups)[number]) => g.rate.rate - g.rate.expected;
  const reach = Math.max(
    0.05,
    ...of.groups.map((g) =>
      Math.max(Math.abs(off(g)), g.rate.expected - g.rate.funnelLow, g.rate.funnelHigh - g.rate.expected),
    ),
  );
  const [a, b] = [Math.log(fewest), Math.log(Math.max(most, fewest * 2))];
  const x = (n: number) => left + ((Math.log(n) - a) / (b - a)) * (W - left - RIGHT);
  const y = (d: number) => TOP + ((reach - d) / (2 * reach)) * (height - TOP - BOTTOM);
  const rows = of.groups.filter((g) => g.rate.made > 0).sort((p, q) => p.rate.made - q.rate.made);
  const edge = (side: (r: S["GroupRate"]) => number) =>
    `M${rows.map((g) => `${x(g.rate.made).toFixed(1)} ${y(side(g.rate) - g.rate.expected).toFixed(1)}`).join("L")}`;
  return (
    <figure className="chart">
      <figcaption>{t("yield.funnel")}</figcaption>
      <svg viewBox={`0 0 ${W} ${height}`} role="group" aria-label={t("yield.funnel")}>
        {[-reach, 0, reach].map((v) => (
          <g key={v}>
            <line x1={left} x2={W - RIGHT} y1={y(v)} y2={y(v)} className={v === 0 ? "here" : "rule"} />
            <text x={left - 6} y={y(v) + 4} textAnchor="end">
              {v > 0 ? "+" : ""}
              {(v * 100).toFixed(0)}
            </text>
          </g>
        ))}
        <path className="curve" strokeDasharray="2 4" d={edge((r) => r.funnelLow)} />
        <path className="curve" strokeDasharray="2 4" d={edge((r) => r.funnelHigh)} />
        {rows.map((g, i) => (
          <Opens
            key={g.key ?? i}
            label={t("yield.point", {
              what: g.key === null ? t("yield.somebody") : nameOfGroup(t, of.by, g.key, g.name),
              rate: percent(g.rate.rate, 1),
              made: g.rate.made,
            })}
            onOpen={g.key === null ? undefined : () => onOpen(g.key as string)}
          >
            <circle cx={x(g.rate.made)} cy={y(off(g))} r={12} className="hit" />
            <circle cx={x(g.rate.made)} cy={y(off(g))} r={4.5} className={tone(g.rate)} />
          </Opens>
        ))}
        <text x={left} y={height - 10}>
          {t("yield.ofMade", { count: fewest })}
        </text>
        <text x={W - RIGHT} y={height - 10} textAnchor="end">
          {t("yield.ofMade", { count: Math.max(most, fewest * 2) })}
        </text>
      </svg>
    </figure>
  );
}

/** Points in their order, with the limits of chance and the one from which it was otherwise. */
export function Lines(props: {
  title: string;
  chart: S["ControlFound"];
  ends: [string, string];
  say: (v: number) => string;
  /** What each point is called, where it opens something. */
  point?: (i: number) => string;
  onOpen?: (i: number) => void;
  /** What the rules speak of: weeks, readings. */
  unit: string;
}) {
  const { t } = useTranslation();
  const { chart, say } = props;
  const height = 250;
  const left = 46;
  const sums = chart.points.some((p) => p.sumAbove != null);
  const all = chart.points.flatMap((p) =>
    sums ? [p.low, p.high, p.sumAbove ?? 0, p.sumBelow ?? 0] : [p.value, p.low, p.high],
  );
  const [low, high] = [Math.min(0, ...all), Math.max(...all, low0(all))];
  const x = (i: number) =>
    left + (chart.points.length === 1 ? 0 : (i / (chart.points.length - 1)) * (W - left - RIGHT));
  const y = (v: number) => TOP + ((high - v) / (high - low)) * (height - TOP - BOTTOM);
  const line = (of: (p: S["ControlPoint"]) => number) =>
    `M${chart.points.map((p, i) => `${x(i).toFixed(1)} ${y(of(p)).toFixed(1)}`).join("L")}`;
  const rules = [...new Set(chart.points.flatMap((p) => p.rules))];
  return (
    <figure className="chart">
      <figcaption>{props.title}</figcaption>
      <svg viewBox={`0 0 ${W} ${height}`} role={props.onOpen ? "group" : "img"} aria-label={props.title}>
        {[...new Set([low, (low + high) / 2, high])].map((v) => (
          <g key={v}>
            <line x1={left} x2={W - RIGHT} y1={y(v)} y2={y(v)} className="rule" />
            <text x={left - 6} y={y(v) + 4} textAnchor="end">
              {say(v)}
            </text>
          </g>
        ))}
        <path className="curve" strokeDasharray="2 4" d={line((p) => p.high)} />
        <path className="curve" strokeDasharray="2 4" d={line((p) => p.low)} />
        {sums ? (
          <>
            <path className="curve chosen" d={line((p) => p.sumAbove ?? 0)} />
            <path className="curve chosen" d={line((p) => p.sumBelow ?? 0)} />
          </>
        ) : (
          <>
            <line x1={left} x2={W - RIGHT} y1={y(chart.centre)} y2={y(chart.centre)} className="here" />
            <path className="curve chosen" d={line((p) => p.value)} />
          </>
        )}
        {chart.points.map((p, i) => {
          const at = y(sums ? (p.rules.includes("sum-below") ? (p.sumBelow ?? 0) : (p.sumAbove ?? 0)) : p.value);
          const off = p.rules.length > 0;
          const open = props.onOpen;
          if (!off && !open) return null;
          return (
            // biome-ignore lint/suspicious/noArrayIndexKey: a point is its place in the order
            <Opens key={i} label={props.point?.(i) ?? ""} onOpen={open && (() => open(i))}>
              <circle cx={x(i)} cy={at} r={9} className="hit" />
              <circle cx={x(i)} cy={at} r={off ? 5 : 2.5} className={off ? "mark bad" : "mark"} />
            </Opens>
          );
        })}
        {chart.changeAt != null && (
          <line x1={x(chart.changeAt)} x2={x(chart.changeAt)} y1={TOP} y2={height - BOTTOM} className="limit" />
        )}
        {props.ends.map((text, i) => (
          <text
            key={i === 0 ? "first" : "last"}
            x={x(i === 0 ? 0 : chart.points.length - 1)}
            y={height - 10}
            textAnchor={i === 0 ? "start" : "end"}
          >
            {text}
          </text>
        ))}
      </svg>
      {rules.length > 0 && (
        <p className="faint">
          {rules
            .map((r) =>
              t(`yield.rule.${r}`, { count: chart.points.filter((p) => p.rules.includes(r)).length, unit: props.unit }),
            )
            .join("; ")}
        </p>
      )}
    </figure>
  );
}

/** A chart of nothing but noughts still has a height. */
const low0 = (all: number[]) => (all.every((v) => v <= 0) ? 0.1 : 0);

/** What went back, week by week. */
export function Weeks({ trend, onOpen }: { trend: S["YieldTrend"]; onOpen: (week: string) => void }) {
  const { t } = useTranslation();
  const { chart, weeks } = trend;
  return (
    <Lines
      title={t("yield.weeks")}
      chart={chart}
      ends={[dayText(weeks[0] ?? ""), dayText(weeks.at(-1) ?? "")]}
      say={(v) => percent(v)}
      unit={t("yield.unit.weeks")}
      point={(i) => t("yield.week", { week: dayText(weeks[i] ?? ""), rate: percent(chart.points[i]?.value ?? 0, 1) })}
      onOpen={(i) => onOpen(weeks[i] ?? "")}
    />
  );
}
