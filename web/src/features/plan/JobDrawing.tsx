import { type KeyboardEvent, useMemo, useState, useSyncExternalStore } from "react";
import { useTranslation } from "react-i18next";
import { api, type S } from "../../api/client";
import { Await, Sideways } from "../../ui/Parts";

/** Where a row of connectors begins to be planned. */
export type Start = Pick<S["NewEnds"], "cableId" | "side" | "fromStrand" | "toStrand"> & {
  panelId?: string;
  firstPort?: number;
};

const high = { head: 34, row: 44, apart: 20 };
/** Spaces on both sides of the cables; where there is no room for that, all of them on the left. */
const broad = {
  ...{ space: 250, gap: 170, cable: 200, leftX: 8, cableX: 428, rightX: 798, width: 1056, step: high.row + 12 },
  ...{ letters: { space: 30, panel: 22, cable: 22 }, both: true },
};
const slim = {
  ...{ space: 152, gap: 36, cable: 150, leftX: 2, cableX: 190, rightX: 2, width: 342, step: 2 * high.row + 16 },
  ...{ letters: { space: 17, panel: 8, cable: 17 }, both: false },
};

/** Whether the screen has room for both sides of a cable. */
function useRoom() {
  const asks = useMemo(() => window.matchMedia("(min-width: 900px)"), []);
  return useSyncExternalStore(
    (told) => {
      asks.addEventListener("change", told);
      return () => asks.removeEventListener("change", told);
    },
    () => asks.matches,
  );
}

type Loose = Pick<Start, "cableId" | "side" | "fromStrand" | "toStrand">;

/** The job as its spaces, panels and cables. What has no connector yet is picked up here and put on a panel. */
export function JobDrawing({ detail, onPlan }: { detail: S["JobDetail"]; onPlan: (start: Start) => void }) {
  const { t } = useTranslation();
  const drawing = api.useQuery("get", "/api/jobs/{jobId}/drawing", { params: { path: { jobId: detail.job.jobId } } });
  const [held, setHeld] = useState<Loose>();
  if (detail.cables.length === 0 || detail.panels.length === 0) return null;
  return (
    <section className="card">
      <h2>{t("plan.drawing")}</h2>
      <p className="faint" aria-live="polite">
        {held
          ? t("plan.putOn", {
              code: detail.cables.find((c) => c.cableId === held.cableId)?.code,
              side: held.side,
              from: held.fromStrand,
              to: held.toStrand,
            })
          : t(drawing.data?.sides.some((s) => s.unplanned.length > 0) ? "plan.drawingHint" : "plan.drawingWhole")}
      </p>
      <Await of={drawing}>
        {(d) => (
          <Sideways>
            <Drawn detail={detail} drawing={d} held={held} onHold={setHeld} onPlan={onPlan} />
          </Sideways>
        )}
      </Await>
    </section>
  );
}

function Drawn(props: {
  detail: S["JobDetail"];
  drawing: S["JobDrawing"];
  held?: Loose;
  onHold: (l?: Loose) => void;
  onPlan: (s: Start) => void;
}) {
  const { detail, drawing, held } = props;
  const { t } = useTranslation();
  const wide = useRoom() ? broad : slim;
  // A space stands on the side of the cables' ends that land in it.
  const pull = new Map<string, number>();
  for (const s of drawing.sides)
    for (const l of s.landings) {
      const space = detail.panels.find((p) => p.panelId === l.panelId)?.spaceId;
      if (space) pull.set(space, (pull.get(space) ?? 0) + (s.side === "A" ? -l.ends : l.ends));
    }
  const onLeft = (s: S["Space"], i: number) => {
    const side = pull.get(s.spaceId) ?? 0;
    if (!wide.both) return true;
    return side === 0 ? i % 2 === 0 : side < 0;
  };
  const at = new Map<string, { x: number; y: number; left: boolean }>();
  const boxes: { space: S["Space"]; x: number; y: number; height: number }[] = [];
  const next = { left: 8, right: 8 };
  detail.spaces.forEach((space, i) => {
    const panels = detail.panels.filter((p) => p.spaceId === space.spaceId);
    const left = onLeft(space, i);
    const [x, y] = left ? [wide.leftX, next.left] : [wide.rightX, next.right];
    const height = high.head + Math.max(1, panels.length) * high.row + 6;
    panels.forEach((p, row) => {
      at.set(p.panelId, { x, y: y + high.head + row * high.row, left });
    });
    boxes.push({ space, x, y, height });
    next[left ? "left" : "right"] = y + height + high.apart;
  });
  const cableY = (i: number) => 8 + i * wide.step;
  const height = Math.max(next.left, next.right, cableY(detail.cables.length));
  return (
    <svg
      className={wide.both ? "job-drawing" : "job-drawing slim"}
      width={wide.width}
      height={height}
      viewBox={`0 0 ${wide.width} ${height}`}
      role="group"
      aria-label={t("plan.drawing")}
    >
      {detail.cables.flatMap((c, i) =>
        drawing.sides
          .filter((s) => s.cableId === c.cableId)
          .flatMap((s) =>
            s.landings.map((l) => {
              const to = l.panelId ? at.get(l.panelId) : undefined;
              if (!to) return null;
              const [x0, x1] = to.left ? [wide.cableX, to.x + wide.space] : [wide.cableX + wide.cable, to.x];
              // Where both ends leave on one side, A lies above B.
              const apart = wide.both ? 0 : s.side === "A" ? -8 : 8;
              const [y0, y1] = [cableY(i) + high.row / 2 + apart, to.y + high.row / 2 + apart];
              const middle = (x0 + x1) / 2;
              return (
                <path
                  key={`${c.cableId}${s.side}${l.panelId}`}
                  className={l.accepted === l.ends ? "run done" : "run"}
                  d={`M${x0} ${y0} C${middle} ${y0} ${middle} ${y1} ${x1} ${y1}`}
                  strokeWidth={2 + Math.min(4, l.ends / 12)}
                >
                  <title>
                    {t("plan.landing", {
                      code: c.code,
                      side: s.side,
                      from: l.fromPort,
                      to: l.toPort,
                      ends: l.ends,
                      accepted: l.accepted,
                    })}
                  </title>
                </path>
              );
            }),
          ),
      )}
      {boxes.map((b) => (
        <g key={b.space.spaceId}>
          <rect className="space" x={b.x} y={b.y} width={wide.space} height={b.height} rx={6} />
          <text className="name" x={b.x + 12} y={b.y + 22}>
            {short(`${b.space.code} · ${b.space.name}`, wide.letters.space)}
          </text>
        </g>
      ))}
      {detail.panels.map((p) => {
        const place = at.get(p.panelId);
        const room = drawing.panels.find((x) => x.panelId === p.panelId);
        if (!place || !room) return null;
        const fits = held !== undefined && room.nextPort !== null;
        const put = () => {
          if (held) props.onPlan({ ...held, panelId: p.panelId, firstPort: room.nextPort ?? undefined });
          props.onHold(undefined);
        };
        const share = p.ports === 0 ? 0 : room.taken / p.ports;
        return (
          <g
            key={p.panelId}
            className={fits ? "panel fits" : "panel"}
            {...(fits ? pressable(put, t("plan.putHere", { panel: p.code, port: room.nextPort })) : {})}
          >
            <rect x={place.x + 8} y={place.y + 3} width={wide.space - 16} height={high.row - 6} rx={4} />
            <rect
              className="taken"
              x={place.x + 8}
              y={place.y + high.row - 9}
              width={(wide.space - 16) * Math.min(1, share)}
              height={6}
              rx={3}
            />
            <text x={place.x + 18} y={place.y + 25}>
              {short(wide.both ? `${p.code} · ${t(`form.${p.adapterForm}`)}` : p.code, wide.letters.panel)}
            </text>
            <text className="count" x={place.x + wide.space - 18} y={place.y + 25} textAnchor="end">
              {room.taken} / {p.ports}
            </text>
          </g>
        );
      })}
      {detail.cables.map((c, i) => (
        <g key={c.cableId}>
          <rect
            className="cable"
            x={wide.cableX}
            y={cableY(i)}
            width={wide.cable}
            height={high.row}
            rx={high.row / 2}
          />
          <text x={wide.cableX + wide.cable / 2} y={cableY(i) + 27} textAnchor="middle">
            {short(`${c.code} · ${c.strandCount}${wide.both ? ` × ${c.fiberClass}` : ""}`, wide.letters.cable)}
          </text>
          {drawing.sides
            .filter((s) => s.cableId === c.cableId)
            .map((s) => {
              const run = s.unplanned[0];
              if (!run) return null;
              const left = s.side === "A";
              const y = wide.both ? cableY(i) : cableY(i) + high.row;
              const [outside, inside] = left
                ? [wide.cableX - 84, wide.cableX]
                : [wide.cableX + wide.cable + 4, wide.cableX + wide.cable / 2 + 1];
              const x = wide.both ? outside : inside;
              const room = wide.both ? 80 : wide.cable / 2 - 1;
              const mine = held?.cableId === c.cableId && held.side === s.side;
              const hold = () =>
                props.onHold(
                  mine ? undefined : { cableId: c.cableId, side: s.side, fromStrand: run.from, toStrand: run.to },
                );
              return (
                <g
                  key={s.side}
                  className={mine ? "loose held" : "loose"}
                  {...pressable(
                    hold,
                    t("plan.pickUp", { code: c.code, side: s.side, from: run.from, to: run.to }),
                    mine,
                  )}
                >
                  <rect x={x} y={y + 2} width={room} height={high.row - 4} rx={4} />
                  <text x={x + room / 2} y={y + 27} textAnchor="middle">
                    {s.side} {run.from}–{run.to}
                  </text>
                </g>
              );
            })}
        </g>
      ))}
    </svg>
  );
}

const short = (text: string, most: number) => (text.length > most ? `${text.slice(0, most - 1)}…` : text);

/** What makes a part of a drawing a button, for fingers and keys alike. */
const pressable = (onPress: () => void, label: string, pressed?: boolean) => ({
  role: "button",
  tabIndex: 0,
  "aria-label": label,
  "aria-pressed": pressed,
  onClick: onPress,
  onKeyDown: (e: KeyboardEvent) => {
    if (e.key !== "Enter" && e.key !== " ") return;
    e.preventDefault();
    onPress();
  },
});
