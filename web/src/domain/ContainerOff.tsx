import { Button, InputNumber } from "antd";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import type { S } from "../api/client";
import type { StreamDraft } from "../offline/outbox";

/** A container holds other shards than were made: it stays on the list until they are found, or counted again. */
export function ContainerOff({
  batch,
  say,
}: {
  batch: S["BatchState"];
  say: (drafts: StreamDraft[]) => Promise<unknown>;
}) {
  const { t } = useTranslation();
  const [found, setFound] = useState<number | null>(null);
  const last = batch.counts.at(-1);
  const missing = Math.max(0, -batch.off);
  const tell = async () => {
    if (found === null) return;
    const of = { stream: "batch" as const, streamId: batch.id };
    await say([{ ...of, kind: "shards-found", body: { found, note: null } }]);
    setFound(null);
  };
  return (
    <div className="shards">
      <p className="tone-bad">
        <b>{missing > 0 ? t("container.missing", { count: missing }) : t("container.tooMany", { count: batch.off })}</b>{" "}
        {t("container.of", { made: last?.made, counted: (last?.counted ?? 0) + batch.found })}
      </p>
      {missing > 0 && (
        <div className="row">
          <InputNumber
            aria-label={t("container.foundHow")}
            min={1}
            max={missing}
            precision={0}
            value={found}
            onChange={setFound}
          />
          <Button disabled={found === null} onClick={tell}>
            {t("container.found")}
          </Button>
        </div>
      )}
      <p className="caution">{t("caution.shards")}</p>
    </div>
  );
}
