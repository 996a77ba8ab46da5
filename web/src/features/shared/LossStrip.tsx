import { useTranslation } from "react-i18next";
import type { S } from "../../api/client";

const WIDTH = 640;
const LEFT = 8;
const RIGHT = 28;
const DOT = 2.5;

/** Every reading of one wavelength as a dot, by the share of its limit that it takes; those that lie together stand upon one another. */
export function LossStrip({ strip }: { strip: S["LossStrip"] }) {
  const { t } = useTranslation();
  const most = Math.max(1, strip.shares.at(-1) ?? 0);
  const x = (share: number) => LEFT + ((WIDTH - LEFT - RIGHT) * share) / most;
  const piles = new Map<number, number>();
  const dots = strip.shares.map((share, i) => {
    const column = Math.round(x(share) / (2 * DOT));
    const nth = piles.get(column) ?? 0;
    piles.set(column, nth + 1);
    return { key: i, x: column * 2 * DOT, nth, over: share > 1 };
  });
  // A tall pile is pressed together rather than cut off.
  const step = Math.min(2 * DOT, 60 / Math.max(1, ...piles.values()));
  const floor = 12 + step * Math.max(1, ...piles.values());
  return (
    <svg
      className="loss-strip"
      viewBox={`0 0 ${WIDTH} ${floor + 20}`}
      role="img"
      aria-label={t("see.strip", { nm: strip.wavelengthNm, count: strip.shares.length })}
    >
      <path className="axis" d={`M${LEFT} ${floor}H${WIDTH - RIGHT}M${x(1)} 4V${floor + 4}`} />
      {dots.map((d) => (
        <circle key={d.key} className={d.over ? "over" : ""} cx={d.x} cy={floor - DOT - d.nth * step} r={DOT} />
      ))}
      {[0, 0.5, 1].map((share) => (
        <text key={share} x={x(share)} y={floor + 16} textAnchor={share === 0 ? "start" : "middle"}>
          {share === 1 ? t("see.limit") : `${share * 100} %`}
        </text>
      ))}
    </svg>
  );
}
