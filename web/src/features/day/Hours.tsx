import { useQueryClient } from "@tanstack/react-query";
import { Button, Input, InputNumber } from "antd";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import { api, http, type S, stale } from "../../api/client";
import { DayField } from "../../ui/DayField";
import { Await, Grid, useFault } from "../../ui/Parts";
import { dayText, today } from "../../ui/settings";
import { Files } from "./Files";

const hours = (minutes: number) => `${Math.floor(minutes / 60)}:${String(minutes % 60).padStart(2, "0")}`;

/** Days from first to last act, and what the person says of them. */
export default function Hours() {
  const { t } = useTranslation();
  const [span, setSpan] = useState({ from: `${today().slice(0, 8)}01`, to: today() });
  const days = api.useQuery("get", "/api/hours", { params: { query: span } });
  const [open, setOpen] = useState<string>();
  return (
    <>
      <h1>{t("hours.title")}</h1>
      <section className="card" aria-label={t("hours.title")}>
        <p className="faint">{t("hours.text")}</p>
        <div className="row between below">
          <span className="row">
            <DayField
              aria-label={t("progress.from")}
              value={span.from}
              onChange={(from) => from && setSpan({ ...span, from })}
            />
            <DayField aria-label={t("progress.to")} value={span.to} onChange={(to) => to && setSpan({ ...span, to })} />
          </span>
          <Files path="/api/hours/file" asked={span} />
        </div>
        <Await of={days}>
          {(rows) => (
            <>
              <Grid
                rows={rows}
                rowKey={(d) => d.personId + d.day}
                empty={t("hours.none")}
                columns={[
                  { title: t("hours.day"), render: (d) => dayText(d.day) },
                  // One's own need no name beside each.
                  ...(rows.some((d) => d.personId !== rows[0]?.personId)
                    ? [{ title: t("day.person"), render: (d: S["WorkedDay"]) => d.name }]
                    : []),
                  { title: t("hours.counted"), render: (d) => hours(d.minutes ?? 0), right: true },
                  {
                    title: t("hours.said"),
                    render: (d) =>
                      open === d.personId + d.day ? (
                        <Correct day={d} onDone={() => setOpen(undefined)} />
                      ) : (
                        <Button onClick={() => setOpen(d.personId + d.day)}>
                          {d.saidMinutes === null
                            ? t("hours.correct")
                            : [hours(d.saidMinutes), d.note].filter(Boolean).join(" · ")}
                        </Button>
                      ),
                  },
                  { title: t("day.accepted"), render: (d) => d.accepted, right: true },
                ]}
              />
              {rows.length > 0 && (
                <p className="above">
                  <b>{t("hours.sum", { hours: hours(rows.reduce((sum, d) => sum + (d.countedMinutes ?? 0), 0)) })}</b>
                </p>
              )}
            </>
          )}
        </Await>
      </section>
    </>
  );
}

function Correct({ day, onDone }: { day: S["WorkedDay"]; onDone: () => void }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const fault = useFault();
  const [typed, setTyped] = useState<number | null>(Math.round(((day.countedMinutes ?? 0) / 60) * 100) / 100);
  const [note, setNote] = useState(day.note ?? "");
  const say = (minutes: number | null) =>
    http
      .PUT("/api/hours/{personId}/{day}", {
        params: { path: { personId: day.personId, day: day.day } },
        body: { minutes, note },
      })
      .then(() => stale(client, "/api/hours"))
      .then(onDone)
      .catch(fault);
  return (
    <span className="row">
      <InputNumber
        aria-label={t("hours.hours")}
        className="w-s"
        min={0}
        max={24}
        step={0.25}
        suffix="h"
        value={typed}
        onChange={setTyped}
      />
      <Input
        aria-label={t("hours.why")}
        placeholder={t("hours.why")}
        className="w-m"
        maxLength={300}
        value={note}
        onChange={(e) => setNote(e.target.value)}
      />
      <Button
        type="primary"
        disabled={typed === null}
        onClick={() => typed !== null && void say(Math.round(typed * 60))}
      >
        {t("app.save")}
      </Button>
      {day.saidMinutes !== null && <Button onClick={() => void say(null)}>{t("hours.takeBack")}</Button>}
    </span>
  );
}
