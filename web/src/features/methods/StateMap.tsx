import { useTranslation } from "react-i18next";
import type { S } from "../../api/client";
import { useWords } from "../../ui/settings";

const ROW = 30;
const LEFT = 110;
const WIDE = 440;

type Way = { from: number; to: number | null; label: string; tone: S["Tone"]; kind: "jump" | "back" | "end" | "lost" };

/** The ways through a procedure, as it stands while it is written: down the middle where all is well, back on the left, jumps on the right. */
export function StateMap({ document: d, faulty }: { document: S["ProcedureDocument"]; faulty: Set<string> }) {
  const { t } = useTranslation();
  const words = useWords();
  const place = new Map(d.steps.map((s, i) => [s.id, i]));
  const at = (i: number) => 14 + ROW * (i + 0.5);
  const ways: Way[] = d.steps.flatMap((s, i) =>
    (s.check?.answers ?? []).flatMap((a): Way[] => {
      const of = { from: i, label: a.label, tone: a.tone };
      if (a.next) return [];
      if (a.goto != null) return [{ ...of, to: place.get(a.goto) ?? null, kind: place.has(a.goto) ? "jump" : "lost" }];
      const ladder = d.ladders.find((l) => l.id === a.ladder);
      if (!ladder) return [{ ...of, to: null, kind: "lost" }];
      return ladder.rungs.map((r) => ({
        ...of,
        label: r.act,
        to: r.goto != null ? (place.get(r.goto) ?? null) : null,
        kind: r.newAttempt ? "end" : r.goto != null && place.has(r.goto) ? "back" : "lost",
      }));
    }),
  );
  const seen = new Map<string, number>();
  const height = 28 + ROW * d.steps.length;
  return (
    <svg viewBox={`0 0 ${WIDE} ${height}`} width="100%" role="img" aria-label={t("methods.map")} className="statemap">
      <path d={`M${LEFT} ${at(0)}V${at(Math.max(d.steps.length - 1, 0))}`} stroke="var(--good)" strokeWidth={3} />
      {ways.map((w, n) => {
        const y1 = at(w.from);
        const lane = seen.get(`${w.from}${w.kind}`) ?? 0;
        seen.set(`${w.from}${w.kind}`, lane + 1);
        const paint = w.tone === "good" ? "var(--good)" : w.tone === "doubtful" ? "var(--doubt)" : "var(--bad)";
        const key = `${n}`;
        if (w.kind === "end" || w.kind === "lost")
          return (
            <g key={key}>
              <title>{words(w.label)}</title>
              <path d={`M${LEFT - 8} ${y1}h${-14 - lane * 6}`} stroke={paint} strokeWidth={2} />
              <path
                d={`M${LEFT - 28 - lane * 6} ${y1 - 5}v10`}
                stroke={paint}
                strokeWidth={w.kind === "lost" ? 5 : 3}
                strokeDasharray={w.kind === "lost" ? "2 2" : undefined}
              />
            </g>
          );
        const y2 = at(w.to as number);
        const bow = Math.min(100, 26 + Math.abs(w.from - (w.to as number)) * 9 + lane * 7);
        const side = w.kind === "back" ? -1 : 1;
        return (
          <g key={key}>
            <title>{words(w.label)}</title>
            <path
              d={`M${LEFT + side * 8} ${y1}C${LEFT + side * bow} ${y1} ${LEFT + side * bow} ${y2} ${LEFT + side * 9} ${y2}m${side * 6} -4l${-side * 6} 4l${side * 6} 4`}
              fill="none"
              stroke={paint}
              strokeWidth={2}
            />
          </g>
        );
      })}
      {d.steps.map((s, i) => (
        <g key={s.id}>
          {faulty.has(s.id) && (
            <rect
              x={LEFT - 11}
              y={at(i) - 11}
              width={22}
              height={22}
              fill="none"
              stroke="var(--bad)"
              strokeWidth={2.5}
            />
          )}
          {s.check ? (
            <path d={`M${LEFT} ${at(i) - 8}l8 8l-8 8l-8 -8Z`} fill="var(--panel)" stroke="var(--ink)" strokeWidth={2} />
          ) : (
            <circle
              cx={LEFT}
              cy={at(i)}
              r={6}
              fill={s.batch ? "var(--accent)" : "var(--panel)"}
              stroke="var(--ink)"
              strokeWidth={2}
            />
          )}
          <text x={LEFT + 40} y={at(i) + 5} fontSize="14">
            {clip(words(s.act), 40)}
          </text>
        </g>
      ))}
    </svg>
  );
}

const clip = (text: string, most: number) => (text.length > most ? `${text.slice(0, most - 1)}…` : text);
