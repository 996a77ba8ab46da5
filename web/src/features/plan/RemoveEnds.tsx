import { useQueryClient } from "@tanstack/react-query";
import { App, Button, InputNumber, Select } from "antd";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import type { S } from "../../api/client";
import { useFault } from "../../ui/Parts";
import { removeRow } from "./api";

/** Takes planned ends of a row of strands out again in one go; what has begun stays. */
export function RemoveEnds({ jobId, code, ends }: { jobId: string; code: string; ends: S["LoomEnd"][] }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const fault = useFault();
  const { message } = App.useApp();
  const sides = [...new Set(ends.map((e) => e.side))].sort();
  const [side, setSide] = useState(sides[0]);
  const strands = ends.filter((e) => e.side === side).map((e) => e.strand);
  const [from, setFrom] = useState<number | null>(Math.min(...strands));
  const [to, setTo] = useState<number | null>(Math.max(...strands));
  const [busy, setBusy] = useState(false);
  const those = ends.filter(
    (e) => e.side === side && e.status === "planned" && e.strand >= (from ?? 1) && e.strand <= (to ?? 0),
  );
  const remove = async () => {
    setBusy(true);
    try {
      for (const e of those) await removeRow(jobId, "end", e.endId);
      message.success(t("plan.removed", { count: those.length }));
    } catch (e) {
      fault(e);
    } finally {
      setBusy(false);
      await client.invalidateQueries();
    }
  };
  return (
    <div className="row middle below">
      {sides.length > 1 && (
        <Select
          aria-label={t("plan.removeSide", { code })}
          className="w-xs"
          value={side}
          options={sides.map((s) => ({ value: s, label: s }))}
          onChange={setSide}
        />
      )}
      <InputNumber
        aria-label={t("plan.removeFrom", { code })}
        className="w-xs"
        min={1}
        value={from}
        onChange={setFrom}
      />
      –
      <InputNumber aria-label={t("plan.removeTo", { code })} className="w-xs" min={1} value={to} onChange={setTo} />
      <Button disabled={busy || those.length === 0} onClick={remove}>
        {t("plan.removeEnds", { count: those.length })}
      </Button>
    </div>
  );
}
