import { useTranslation } from "react-i18next";
import type { S } from "../api/client";
import { dayText } from "../ui/settings";

const rate = (n: number) => (n >= 10 ? n.toFixed(0) : n.toFixed(1));

/** Whether a job will be done in time: a sentence, then its last days as bars against what each day would have to bring. */
export function PaceText({ outlook: o, dueOn }: { outlook: S["Outlook"]; dueOn: string }) {
  const { t } = useTranslation();
  const needed = o.neededPerDay === null ? "" : t("pace.needed", { perDay: rate(o.neededPerDay) });
  const tone = o.verdict === "late" ? "bad" : o.verdict === "tight" || o.verdict === "no-pace" ? "doubtful" : "good";
  return (
    <div className="pace">
      <p className={`tone-${tone}`}>
        {t(`pace.${o.verdict === "late" && !o.doneOn ? "late-no-pace" : o.verdict}`, {
          perDay: rate(o.perDay),
          over: t("pace.over", { count: o.overDays }),
          left: o.left,
          on: o.doneOn ? dayText(o.doneOn) : "",
          due: dayText(dueOn),
          count: o.daysLate,
          needed,
        })}
      </p>
      {o.verdict !== "done" && <Bars outlook={o} />}
    </div>
  );
}

function Bars({ outlook: o }: { outlook: S["Outlook"] }) {
  const { t } = useTranslation();
  const [width, height] = [168, 44];
  const most = Math.max(1, o.neededPerDay ?? 0, ...o.days.map((d) => d.count));
  const y = (n: number) => height - 12 - (n / most) * (height - 24);
  const step = width / o.days.length;
  const label = t("pace.chart", { days: o.days.length, counts: o.days.map((d) => d.count).join(", ") });
  return (
    <svg width={width + 44} height={height} viewBox={`0 0 ${width + 44} ${height}`} role="img" aria-label={label}>
      {o.days.map((d, i) => (
        <g key={d.on}>
          <rect x={i * step + 3} width={step - 6} y={y(d.count)} height={height - 12 - y(d.count)} fill="var(--good)" />
          <text x={(i + 0.5) * step} y={y(d.count) - 2} fontSize="11" textAnchor="middle" fill="var(--ink)">
            {d.count || ""}
          </text>
          <text x={(i + 0.5) * step} y={height - 1} fontSize="10" textAnchor="middle" fill="var(--faint)">
            {d.on.slice(8)}
          </text>
        </g>
      ))}
      <line x1={0} x2={width} y1={height - 12} y2={height - 12} stroke="var(--line)" />
      {o.neededPerDay !== null && o.neededPerDay > 0 && (
        <>
          <line
            x1={0}
            x2={width}
            y1={y(o.neededPerDay)}
            y2={y(o.neededPerDay)}
            stroke="var(--ink)"
            strokeDasharray="4 3"
          />
          <text x={width + 4} y={y(o.neededPerDay) + 4} fontSize="11" fill="var(--ink)">
            {rate(o.neededPerDay)}
          </text>
        </>
      )}
    </svg>
  );
}
