import { useTranslation } from "react-i18next";
import type { S } from "../api/client";

type Shape = "accepted" | "pass" | "marginal" | "fail" | "decide" | "none";

export function shapeOf(status: S["EndStatus"], verdict: S["EndVerdict"]): Shape {
  if (status === "needs-decision") return "decide";
  if (status === "to-remake") return "fail";
  if (status === "accepted") return verdict === "marginal" || verdict === "marginal-over" ? "marginal" : "accepted";
  return verdict === "none" ? "none" : verdict === "marginal-over" ? "marginal" : verdict;
}

/** The verdict as a shape that reads without colour: knot, ring, half ring, barred square, fork. */
export function VerdictShape({ shape, x, y, r }: { shape: Shape; x: number; y: number; r: number }) {
  const w = Math.max(1, r / 3);
  const at = `translate(${x} ${y})`;
  switch (shape) {
    case "accepted":
      return (
        <g transform={at}>
          <circle r={r} fill="var(--good)" />
          <circle r={r * 0.35} fill="var(--panel)" />
        </g>
      );
    case "pass":
      return <circle transform={at} r={r * 0.85} fill="var(--panel)" stroke="var(--good)" strokeWidth={w} />;
    case "marginal":
      return (
        <g transform={at}>
          <circle r={r * 0.85} fill="var(--panel)" stroke="var(--doubt)" strokeWidth={w} />
          <path d={`M0 ${-r * 0.85}A${r * 0.85} ${r * 0.85} 0 0 0 0 ${r * 0.85}Z`} fill="var(--doubt)" />
        </g>
      );
    case "fail":
      return (
        <g transform={at}>
          <rect x={-r * 0.85} y={-r * 0.85} width={r * 1.7} height={r * 1.7} fill="var(--bad)" />
          <path d={`M${-r * 0.55} 0H${r * 0.55}`} stroke="var(--panel)" strokeWidth={w * 1.2} />
        </g>
      );
    case "decide":
      return (
        <g transform={at}>
          <path d={`M0 ${-r}L${r} ${r * 0.8}H${-r}Z`} fill="var(--bad)" />
          <path d={`M0 ${-r * 0.3}V${r * 0.45}`} stroke="var(--panel)" strokeWidth={w} />
        </g>
      );
    default:
      return null;
  }
}

/** Shape and word; `short` leaves the word to those who listen. */
export function StatusMark(props: {
  status: S["EndStatus"];
  verdict: S["EndVerdict"];
  short?: boolean;
  farEndUnknown?: boolean;
}) {
  const { status, verdict, short } = props;
  const { t } = useTranslation();
  return (
    <span className="state">
      <svg width="18" height="18" viewBox="-9 -9 18 18" aria-hidden="true">
        <VerdictShape shape={shapeOf(status, verdict)} x={0} y={0} r={7.5} />
      </svg>
      <span className={short ? "small" : undefined}>
        {t(status === "to-measure" && props.farEndUnknown ? "farEnd.status" : `status.${status}`)}
      </span>
    </span>
  );
}
