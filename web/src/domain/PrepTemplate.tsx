import { useTranslation } from "react-i18next";
import type { S } from "../api/client";
import { useLength } from "../ui/settings";

const LEFT = 6;
const ROW = 5;

/** A channel to lay the cable in, its end at the stop: every edge and mark stands where it belongs, a user unit being a millimetre. */
export function PrepTemplate({ prep }: { prep: S["PrepCard"] }) {
  const { t } = useTranslation();
  const length = useLength();
  // The nearest to the end is named first, so that no line crosses a name.
  const marks = [...prep.marks].sort((a, b) => a.beforeMm - b.beforeMm);
  const stop = LEFT + 16 + Math.max(...marks.map((m) => m.beforeMm));
  const [top, bottom] = [4, 18];
  const width = Math.max(stop + 46, 120);
  const height = bottom + 5 + marks.length * ROW + 3;
  return (
    <svg
      className="prep template"
      role="img"
      aria-label={t("prep.template")}
      viewBox={`0 0 ${width} ${height}`}
      style={{ width: `${width}mm`, height: `${height}mm`, maxWidth: "none" }}
    >
      <path d={`M${LEFT} ${top}H${stop}V${bottom}H${LEFT}`} fill="none" stroke="var(--ink)" strokeWidth="0.5" />
      <path d={`M${stop} ${top}V${bottom}`} stroke="var(--ink)" strokeWidth="1.2" />
      <text x={stop + 2} y={(top + bottom) / 2 + 1.4} fontSize="4">
        {t("prep.stop")}
      </text>
      {marks.map((m, i) => {
        const x = stop - m.beforeMm;
        const y = bottom + 5 + i * ROW;
        return (
          <g key={m.id}>
            <path
              d={`M${x} ${top}V${y + 1}`}
              stroke="var(--ink)"
              strokeWidth="0.4"
              strokeDasharray={m.mark ? "1.5 1" : undefined}
            />
            <text x={x + 1.2} y={y + 1.4} fontSize="3.8">
              {length(m.beforeMm)} · {m.name}
            </text>
          </g>
        );
      })}
    </svg>
  );
}
