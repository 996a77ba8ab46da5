import { useTranslation } from "react-i18next";
import type { S } from "../../api/client";

/** The end face as rings to tap, drawn to scale in micrometres; findings stand in their zone. */
export function ZoneMap(props: {
  zones: S["ZoneLimits"][];
  value: S["Zone"];
  onChange: (z: S["Zone"]) => void;
  findings: S["Finding"][];
}) {
  const { t } = useTranslation();
  const outside = [...props.zones].sort((a, b) => b.outerUm - a.outerUm);
  return (
    <svg className="zones w-full low" viewBox="-140 -140 280 280" role="img" aria-label={t("look.zone")}>
      {outside.map((z, i) => (
        <circle
          key={z.zone}
          r={z.outerUm / 2}
          fill={z.zone === props.value ? "var(--accent)" : i % 2 ? "var(--band)" : "var(--raised)"}
          fillOpacity={z.zone === props.value ? 0.35 : 1}
          stroke="var(--strandEdge)"
          strokeWidth="1"
          onClick={() => props.onChange(z.zone)}
          className="pointer"
        />
      ))}
      {outside.map((z) => {
        const r = (z.innerUm + z.outerUm) / 4;
        return (
          <text
            key={z.zone}
            y={z.zone === "A" ? 5 : -r + 5}
            fontSize="13"
            textAnchor="middle"
            fontWeight="700"
            pointerEvents="none"
            stroke="var(--raised)"
            strokeWidth="4"
            paintOrder="stroke"
          >
            {z.zone}
          </text>
        );
      })}
      {props.findings.map((f, i) => {
        const z = props.zones.find((x) => x.zone === f.zone);
        if (!z) return null;
        const r = f.zone === "A" ? z.outerUm / 4 : (z.innerUm + z.outerUm) / 4;
        const angle = 0.7 + i * 1.13;
        const [x, y] = [r * Math.cos(angle), r * Math.sin(angle)];
        const size = Math.max(3, f.sizeUm / 2);
        return (
          // biome-ignore lint/suspicious/noArrayIndexKey: findings may be alike
          <g key={i} pointerEvents="none">
            {f.kind === "scratch" ? (
              <path
                d={`M${x - 14} ${y - 5}L${x + 14} ${y + 5}`}
                stroke="var(--bad)"
                strokeWidth={Math.max(1.5, f.sizeUm)}
              />
            ) : (
              <circle cx={x} cy={y} r={size} fill="var(--bad)" />
            )}
          </g>
        );
      })}
    </svg>
  );
}
