import { useQueries } from "@tanstack/react-query";
import { Button } from "antd";
import { useTranslation } from "react-i18next";
import { Link } from "react-router";
import type { S } from "../api/client";
import { endsQuery } from "../api/hooks";
import { Loading, Nothing } from "../ui/Parts";

type Room = "look" | "measure";

function useQueue(status: S["EndStatus"][]) {
  const lists = useQueries({ queries: status.map((s) => endsQuery({ status: s, limit: 500 })) });
  return { rows: lists.flatMap((l) => l.data ?? []), pending: lists.some((l) => l.isPending) };
}

const panelOf = (e: S["EndRow"]) => (e.panelCode ? `${e.spaceCode}-${e.panelCode}` : e.cableCode);

const placeIn = (e: S["EndRow"]) => (e.panelCode ? e.address?.split(":")[1] : `${e.strand}${e.side}`);

/** What waits in this room, panel by panel: each end is one tap away. */
export function Queue({ status, room }: { status: S["EndStatus"][]; room: Room }) {
  const { t } = useTranslation();
  const { rows, pending } = useQueue(status);
  if (pending) return <Loading />;
  if (rows.length === 0) return <Nothing text={t(`queue.none-${room}`)} />;
  const panels = new Map<string, S["EndRow"][]>();
  for (const e of rows) panels.set(e.placeId, [...(panels.get(e.placeId) ?? []), e]);
  return (
    <div className="cols">
      {[...panels].map(([placeId, ends]) => (
        <section className="card" key={placeId}>
          <h2 className="ellipsis">
            {panelOf(ends[0] as S["EndRow"])} <span className="faint">{ends[0]?.customer}</span>
          </h2>
          <p className="faint">{t(`queue.count-${room}`, { count: ends.length })}</p>
          <div className="row tapped">
            {ends.map((e) => (
              <Link key={e.endId} to={`/${room}/${e.endId}`} aria-label={`${e.address}, ${t(`status.${e.status}`)}`}>
                <Button tabIndex={-1}>{placeIn(e)}</Button>
              </Link>
            ))}
          </div>
          {room === "measure" && ends.length > 1 && (
            <p className="above">
              <Link to={`/measure/${ends[0]?.endId}?how=panel`}>{t("queue.panel", { count: ends.length })}</Link>
            </p>
          )}
        </section>
      ))}
    </div>
  );
}

/** The next one that waits, from where one is: along the panel, then the next panel. */
export function NextInQueue({ status, room, at }: { status: S["EndStatus"][]; room: Room; at: S["EndView"] }) {
  const { t } = useTranslation();
  const { rows } = useQueue(status);
  const others = rows.filter((e) => e.endId !== at.endId);
  const next =
    others.find(
      (e) => e.placeId === at.placeId && (e.port > at.port || (e.port === at.port && e.position > at.position)),
    ) ??
    others.find((e) => e.placeId === at.placeId) ??
    others[0];
  if (!next) return null;
  return (
    <Link to={`/${room}/${next.endId}`}>
      <Button size="large">{t("queue.next", { end: next.address, count: others.length })}</Button>
    </Link>
  );
}
