import { useQueryClient } from "@tanstack/react-query";
import { Button, Input, InputNumber } from "antd";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import { api, http, type S, stale } from "../../api/client";
import { DayField } from "../../ui/DayField";
import { Await, Grid, useFault } from "../../ui/Parts";
import { Files } from "./Files";

const keyOf = (l: { method: string; form: string; polish: string; mode: string }) =>
  [l.method, l.form, l.polish, l.mode].join("|");

/** Accepted connectors by unit price: what may be asked for in a time. */
export function Progress({ jobId }: { jobId: string }) {
  const { t } = useTranslation();
  const [span, setSpan] = useState<{ from?: string; to?: string }>({});
  const [typed, setTyped] = useState<Record<string, number | null>>({});
  const [currency, setCurrency] = useState<string>();
  const client = useQueryClient();
  const fault = useFault();
  const invoice = api.useQuery("get", "/api/jobs/{jobId}/progress", {
    params: { path: { jobId }, query: span },
  });
  const save = (p: S["ProgressInvoice"]) =>
    http
      .PUT("/api/jobs/{jobId}/prices", {
        params: { path: { jobId } },
        body: {
          currency: (currency ?? p.currency).trim().toUpperCase(),
          units: p.lines.flatMap(({ method, form, polish, mode, ...l }) => {
            const of = { method, form, polish, mode };
            const price = keyOf(of) in typed ? typed[keyOf(of)] : l.price;
            return price === null || price === undefined ? [] : [{ ...of, price }];
          }),
        },
      })
      .then(() => stale(client, "/api/jobs/{jobId}/progress"))
      .then(() => {
        setTyped({});
        setCurrency(undefined);
      })
      .catch(fault);
  return (
    <section className="card" aria-label={t("progress.title")}>
      <h2>{t("progress.title")}</h2>
      <p className="faint">{t("progress.text")}</p>
      <Await of={invoice}>
        {(p) => (
          <>
            <div className="row between below">
              <span className="row">
                <DayField
                  aria-label={t("progress.from")}
                  value={p.from}
                  onChange={(from) => from && setSpan({ from, to: p.to })}
                />
                <DayField
                  aria-label={t("progress.to")}
                  value={p.to}
                  onChange={(to) => to && setSpan({ from: p.from, to })}
                />
              </span>
              <Files path={`/api/jobs/${jobId}/progress/file`} asked={{ from: p.from, to: p.to }} />
            </div>
            <Grid
              rows={p.lines}
              rowKey={keyOf}
              columns={[
                {
                  title: t("progress.kind"),
                  render: (l) =>
                    `${t(`form.${l.form}`)}/${l.polish} ${t(`mode.${l.mode}`)}, ${t(`method.${l.method}`)}`,
                },
                { title: t("progress.planned"), render: (l) => l.planned, right: true },
                { title: t("progress.before"), render: (l) => l.acceptedBefore, right: true },
                { title: t("progress.inTime"), render: (l) => l.accepted, right: true },
                {
                  title: t("progress.price"),
                  render: (l) => (
                    <InputNumber
                      aria-label={`${t("progress.price")}, ${t(`form.${l.form}`)} ${t(`method.${l.method}`)}`}
                      className="w-s"
                      min={0}
                      max={1_000_000}
                      decimalSeparator="."
                      value={keyOf(l) in typed ? typed[keyOf(l)] : l.price}
                      onChange={(v) => setTyped({ ...typed, [keyOf(l)]: v })}
                    />
                  ),
                  right: true,
                },
                { title: t("progress.amount"), render: (l) => (l.amount ?? null)?.toFixed(2), right: true },
              ]}
            />
            <p className="row above">
              <Input
                aria-label={t("progress.currency")}
                className="w-s"
                maxLength={3}
                placeholder={t("progress.currency")}
                value={currency ?? p.currency}
                onChange={(e) => setCurrency(e.target.value)}
              />
              <Button disabled={Object.keys(typed).length === 0 && currency === undefined} onClick={() => void save(p)}>
                {t("progress.save")}
              </Button>
              <b>
                {t("progress.sum", { amount: p.amount.toFixed(2), before: p.before.toFixed(2), currency: p.currency })}
              </b>
              {p.unpriced > 0 && <span className="tone-doubtful">{t("progress.unpriced", { count: p.unpriced })}</span>}
            </p>
          </>
        )}
      </Await>
    </section>
  );
}
