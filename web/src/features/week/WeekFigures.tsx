import { useQueryClient } from "@tanstack/react-query";
import { Button, Input, InputNumber, Select, Switch } from "antd";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import { http, type S, stale } from "../../api/client";
import { clock } from "../../domain/clock";
import { choices, useFault } from "../../ui/Parts";
import { dayText } from "../../ui/settings";
import { dayAfter } from "./model";

const DAYS = ["monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday"] as const;

const weekday = (day: string) =>
  new Intl.DateTimeFormat("en-GB", { weekday: "short", timeZone: "UTC" }).format(new Date(`${day}T12:00Z`));

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
              className="w-m"
              type="time"
              value={clock(f[k])}
              onChange={(e) => {
                const [h, m] = e.target.value.split(":").map(Number);
                if (h !== undefined && m !== undefined && Number.isFinite(h + m)) set({ ...f, [k]: h * 60 + m });
              }}
            />
          </label>
        ))}
        <label>
          <div className="faint">{t("week.days")}</div>
          <Select
            className="w-xxl"
            mode="multiple"
            maxTagCount={7}
            value={DAYS.filter((d) => f.days.includes(d))}
            onChange={(days) => days.length > 0 && set({ ...f, days })}
            options={DAYS.map((d, i) => ({ value: d, label: weekday(dayAfter(view.monday, i)) }))}
          />
        </label>
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
        {["oven", "splicer", "meter", "scope", "plate"].map((kind) => (
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
      <h3 className="above">{t("week.people")}</h3>
      <p className="faint">{t(view.hands.length > 0 ? "week.peopleText" : "week.nobody")}</p>
      {view.hands.map((h) => (
        <PersonRow
          key={h.personId}
          name={h.name}
          own={f.people.find((p) => p.personId === h.personId) ?? { personId: h.personId }}
          figures={f}
          monday={view.monday}
          onChange={(own) =>
            set({
              ...f,
              people: [
                ...f.people.filter((p) => p.personId !== h.personId),
                ...(own.away?.length || own.methods || own.fromMin || own.toMin ? [own] : []),
              ],
            })
          }
        />
      ))}
      <p className="above">
        <Button disabled={f === view.figures} onClick={() => void save()}>
          {t("app.save")}
        </Button>
      </p>
    </section>
  );
}

/** Days ahead that somebody can be away. */
const AHEAD = 42;

/** When one works, which methods one can, and on which days one is away. */
function PersonRow(props: {
  name: string;
  own: S["PersonWeek"];
  figures: S["WeekFigures"];
  monday: string;
  onChange: (own: S["PersonWeek"]) => void;
}) {
  const { t } = useTranslation();
  const { name, own, figures } = props;
  const days = [
    ...new Set([...(own.away ?? []), ...Array.from({ length: AHEAD }, (_, d) => dayAfter(props.monday, d))]),
  ].sort();
  return (
    <div className="row below" role="group" aria-label={name}>
      <b className="w-m">{name}</b>
      {(["fromMin", "toMin"] as const).map((k) => (
        <Input
          key={k}
          className="w-m"
          type="time"
          aria-label={`${t(`week.${k}`)}: ${name}`}
          value={clock(own[k] ?? figures[k])}
          onChange={(e) => {
            const [h, m] = e.target.value.split(":").map(Number);
            if (h === undefined || m === undefined || !Number.isFinite(h + m)) return;
            props.onChange({ ...own, [k]: h * 60 + m === figures[k] ? null : h * 60 + m });
          }}
        />
      ))}
      <Select
        className="w-l"
        mode="multiple"
        aria-label={t("week.can", { name })}
        placeholder={t("week.canAll")}
        value={own.methods ?? []}
        onChange={(methods: S["TerminationMethod"][]) =>
          props.onChange({ ...own, methods: methods.length > 0 ? methods : null })
        }
        options={choices.method.map((m) => ({ value: m, label: t(`method.${m}`) }))}
      />
      <Select
        className="w-l"
        mode="multiple"
        aria-label={t("week.away", { name })}
        placeholder={t("week.neverAway")}
        value={own.away ?? []}
        onChange={(away: string[]) => props.onChange({ ...own, away: away.length > 0 ? away : null })}
        options={days.map((d) => ({ value: d, label: dayText(d) }))}
      />
    </div>
  );
}
