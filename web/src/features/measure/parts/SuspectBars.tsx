import { useTranslation } from "react-i18next";
import type { S } from "../../../api/client";
import { dB } from "../../../ui/settings";

const WIDTH = 220;

/** What each connector loses, with how far that may be off; those that nothing tells apart stand together. */
export function SuspectBars({ parts }: { parts: S["PartEstimate"][] }) {
  const { t } = useTranslation();
  const most = Math.max(0.75, ...parts.map((p) => p.lossDb + p.sigmaDb));
  const x = (db: number) => (Math.max(0, db) / most) * WIDTH;
  return (
    <ul className="list">
      {parts.map((p) => (
        <li key={p.part} className="row middle">
          <svg width={WIDTH + 8} height={22} viewBox={`0 0 ${WIDTH + 8} 22`} aria-hidden="true">
            <rect x={0} y={5} height={12} width={x(p.lossDb)} fill={p.overDb > 0 ? "var(--bad)" : "var(--good)"} />
            <path
              d={`M${x(p.lossDb - p.sigmaDb)} 11H${x(p.lossDb + p.sigmaDb)}m0-5v10M${x(p.lossDb - p.sigmaDb)} 6v10`}
              stroke="var(--ink)"
              strokeWidth={1.5}
              fill="none"
            />
          </svg>
          <b>
            {dB(p.lossDb)} ± {dB(p.sigmaDb)} dB
          </b>
          <span>{p.part}</span>
          {p.together && <span className="faint">{t("suspect.together")}</span>}
        </li>
      ))}
    </ul>
  );
}
