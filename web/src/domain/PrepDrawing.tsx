import { useTranslation } from "react-i18next";
import type { S } from "../api/client";
import { useLength } from "../ui/settings";

const thick: Record<S["Layer"], number> = { jacket: 9, aramid: 6, tube: 5, buffer: 4, coating: 2.6, glass: 1.2 };
const paint: Record<S["Layer"], string> = {
  jacket: "#e3b23c",
  aramid: "#c9b458",
  tube: "#9aa7b0",
  buffer: "#e9eef0",
  coating: "#9fc4d8",
  glass: "#bfe3ea",
};

/** One prepared end at true scale: a user unit is a millimetre, so that it prints as it measures. Tip on the right. */
function EndRow(props: {
  marks: { id: string; name: string; layer: S["Layer"]; mm: number }[];
  y: number;
  x0: number;
  title: string;
}) {
  const length = useLength();
  const deepest = Math.max(...props.marks.map((m) => m.mm));
  const tail = 14;
  const tip = props.x0 + tail + deepest;
  const cover = [...props.marks].filter((m) => m.layer !== "aramid").sort((a, b) => b.mm - a.mm);
  const aramid = props.marks.find((m) => m.layer === "aramid");
  return (
    <g>
      <text x={props.x0} y={props.y - 9} fontSize="4.2" fontWeight="700">
        {props.title}
      </text>
      <rect
        x={props.x0}
        y={props.y - thick.glass / 2}
        width={tip - props.x0}
        height={thick.glass}
        fill={paint.glass}
        stroke="var(--strandEdge)"
        strokeWidth="0.2"
      />
      {aramid && (
        <rect
          x={props.x0}
          y={props.y - thick.aramid / 2}
          width={tip - aramid.mm - props.x0}
          height={thick.aramid}
          fill={paint.aramid}
          stroke="var(--strandEdge)"
          strokeWidth="0.2"
          strokeDasharray="1 0.6"
        />
      )}
      {[...cover].reverse().map((m) => (
        <rect
          key={m.id}
          x={props.x0}
          y={props.y - thick[m.layer] / 2}
          width={Math.max(0, tip - m.mm - props.x0)}
          height={thick[m.layer]}
          fill={paint[m.layer]}
          stroke="var(--strandEdge)"
          strokeWidth="0.25"
        />
      ))}
      {[...props.marks]
        .sort((a, b) => b.mm - a.mm)
        .map((m, i) => {
          const y = props.y + 9 + i * 6.5;
          const x = tip - m.mm;
          return (
            <g key={m.id}>
              <path
                d={`M${x} ${props.y - 6}V${y + 1.5}M${tip} ${props.y + 2}V${y + 1.5}`}
                stroke="var(--faint)"
                strokeWidth="0.25"
              />
              <path d={`M${x} ${y}H${tip}`} stroke="var(--ink)" strokeWidth="0.35" />
              <path
                d={`M${x + 1.6} ${y - 0.9}L${x} ${y}l1.6 .9M${tip - 1.6} ${y - 0.9}L${tip} ${y}l-1.6 .9`}
                stroke="var(--ink)"
                strokeWidth="0.35"
                fill="none"
              />
              <text x={tip + 2} y={y + 1.4} fontSize="4">
                {length(m.mm)} · {m.name}
              </text>
            </g>
          );
        })}
    </g>
  );
}

const ticks = Array.from({ length: 101 }, (_, i) => i);

/** At true scale, or as large as there is room where it stands beside a form; beside a template, what comes after the cleave alone. */
export function PrepDrawing({ prep, fit, afterOnly }: { prep: S["PrepCard"]; fit?: boolean; afterOnly?: boolean }) {
  const { t } = useTranslation();
  const before = prep.marks.map((m) => ({ ...m, mm: m.beforeMm }));
  const after = prep.marks.flatMap((m) => (m.afterCleave ? [{ ...m, mm: m.afterCleave.nominalMm }] : []));
  const x0 = 4;
  const deepest = Math.max(...before.map((m) => m.mm));
  const width = Math.max(x0 + 14 + deepest + 62, 130);
  const afterY = afterOnly ? 16 : 20 + before.length * 6.5 + 26;
  const under = after.length ? afterY + after.length * 6.5 + 4 : 20 + before.length * 6.5;
  const rulerY = afterOnly ? (after.length ? under + 8 : 4) : under + 18;
  const height = rulerY + (afterOnly ? 10 : 14);
  return (
    <svg
      className="prep"
      role="img"
      aria-label={t("prep.title")}
      viewBox={`0 0 ${width} ${height}`}
      style={fit ? { width: "100%" } : { width: `${width}mm`, height: `${height}mm`, maxWidth: "none" }}
    >
      {!afterOnly && <EndRow marks={before} y={18} x0={x0} title={t("prep.before")} />}
      {after.length > 0 && (
        <EndRow
          marks={[...after, { id: "cleave", name: t("prep.cleaved"), layer: "glass" as const, mm: 0 }].filter(
            (m) => m.mm > 0,
          )}
          y={afterY}
          x0={x0}
          title={t("prep.after")}
        />
      )}
      <g>
        <path d={`M${x0} ${rulerY}h100`} stroke="var(--ink)" strokeWidth="0.3" />
        {ticks.map((i) => (
          <path
            key={i}
            d={`M${x0 + i} ${rulerY}v${i % 10 === 0 ? 4 : i % 5 === 0 ? 3 : 1.8}`}
            stroke="var(--ink)"
            strokeWidth="0.2"
          />
        ))}
        {[0, 50, 100].map((i) => (
          <text key={i} x={x0 + i} y={rulerY + 8} fontSize="3.6" textAnchor={i === 0 ? "start" : "middle"}>
            {i}
            {i === 100 ? " mm" : ""}
          </text>
        ))}
      </g>
    </svg>
  );
}
