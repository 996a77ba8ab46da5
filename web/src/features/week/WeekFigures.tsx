import { useQueryClient } from "@tanstack/react-query";
import { Button, Input, InputNumber, Switch } from "antd";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import { http, type S, stale } from "../../api/client";
import { useFault } from "../../ui/Parts";
import { clock } from "./model";

/** Hours, shared tools, and what work takes that no connector is. */
export function WeekFigures({ view }: { view: S["WeekView"] }) {
  const { t } = useTranslation();
  const [f, set] = useState(view.figures);
  const client = useQueryClient();
  const fault = useFault();
  const save = () =>
    http
      .PUT("/api/week/figures", { body: { version: view.version, figures: f } })
      .then(() => stale(client, "/api/week"))
      .catch(fault);
  return (
    <section className="card" aria-label={t("week.figures")}>
      <h2>{t("week.figures")}</h2>
      <div className="row">
        {(["fromMin", "breakFromMin", "breakToMin", "toMin"] as const).map((k) => (
          <label key={k}>
            <div className="faint">{t(`week.${k}`)}</div>
            <Input
              className="w-s"
              type="time"
              value={clock(f[k])}
              onChange={(e) => {
                const [h, m] = e.target.value.split(":").map(Number);
                if (h !== undefined && m !== undefined && Number.isFinite(h + m)) set({ ...f, [k]: h * 60 + m });
              }}
            />
          </label>
        ))}
        {(["batchEnds", "openMin", "testMin", "wayMin"] as const).map((k) => (
          <label key={k}>
            <div className="faint">{t(`week.${k}`)}</div>
            <InputNumber
              className="w-s"
              min={0}
              max={480}
              value={f[k]}
              onChange={(v) => v !== null && set({ ...f, [k]: v })}
            />
          </label>
        ))}
        {["oven", "splicer", "meter"].map((kind) => (
          <label key={kind}>
            <div className="faint">{t(`week.${kind}`)}</div>
            <InputNumber
              className="w-s"
              min={0}
              max={100}
              value={f.tools.find((x) => x.kind === kind)?.count ?? 1}
              onChange={(v) =>
                v !== null && set({ ...f, tools: [...f.tools.filter((x) => x.kind !== kind), { kind, count: v }] })
              }
            />
          </label>
        ))}
        <label className="row">
          <Switch
            checked={f.parkedSource}
            onChange={(parkedSource) => set({ ...f, parkedSource })}
            aria-label={t("week.parkedSource")}
          />
          {t("week.parkedSource")}
        </label>
      </div>
      <p className="above">
        <Button disabled={f === view.figures} onClick={() => void save()}>
          {t("app.save")}
        </Button>
      </p>
    </section>
  );
}
