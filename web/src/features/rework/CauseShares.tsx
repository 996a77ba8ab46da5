import { useQueryClient } from "@tanstack/react-query";
import { Alert, Button, InputNumber } from "antd";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import { ApiError, answered, api, http, type S } from "../../api/client";
import { useSession } from "../../api/hooks";
import { Await, Grid, useFault } from "../../ui/Parts";

const FAMILIES: S["GlassFamily"][] = ["polished", "stub", "fused"];

/** What is taken for likely before anything is seen: as shipped, as the company says it, and as confirmed causes have moved it. */
export function CauseShares() {
  const { t } = useTranslation();
  const [open, setOpen] = useState(false);
  const of = api.useQuery("get", "/api/diagnosis/causes", undefined, { enabled: open });
  return (
    <section className="card">
      <details open={open} onToggle={(e) => setOpen(e.currentTarget.open)}>
        <summary>{t("causes.title")}</summary>
        {open && <Await of={of}>{(c) => <Edit key={c.version} of={c} />}</Await>}
      </details>
    </section>
  );
}

function Edit({ of }: { of: S["CausesView"] }) {
  const { t } = useTranslation();
  const office = useSession().data?.person?.role === "office";
  const client = useQueryClient();
  const fault = useFault();
  const [said, setSaid] = useState<Record<string, number>>({});
  const [clash, setClash] = useState(false);
  const key = (c: { cause: string | null; family: string }) => `${c.cause} ${c.family}`;
  const rows = [...new Set(of.causes.map((c) => String(c.cause)))];
  const save = async () => {
    const causes: Record<string, Record<string, number>> = {};
    for (const c of of.causes)
      if (c.own || said[key(c)] !== undefined)
        causes[String(c.cause)] = { ...causes[String(c.cause)], [c.family]: said[key(c)] ?? c.said };
    try {
      await answered(http.PUT("/api/diagnosis/causes", { body: { version: of.version, causes } as never }));
      await client.invalidateQueries();
    } catch (e) {
      if (e instanceof ApiError && e.problem.code === "changed-meanwhile") setClash(true);
      else fault(e);
    }
  };
  return (
    <>
      <p className="faint">{t("causes.how", { weight: of.weight })}</p>
      <Grid
        rowKey={(r) => r}
        rows={rows}
        columns={[
          { title: t("yield.reason"), render: (r) => t(`reason.${r}`) },
          ...FAMILIES.map((f) => ({
            title: t(`causes.family.${f}`),
            render: (r: string) => {
              const c = of.causes.find((x) => x.cause === r && x.family === f);
              return c ? (
                <span className="row middle">
                  <InputNumber
                    className="w-xs"
                    aria-label={`${t(`reason.${r}`)}, ${t(`causes.family.${f}`)}`}
                    min={0.1}
                    max={100}
                    step={1}
                    disabled={!office}
                    value={Math.round((said[key(c)] ?? c.said) * 1000) / 10}
                    onChange={(v) => v !== null && setSaid({ ...said, [key(c)]: v / 100 })}
                  />
                  <span className="faint">
                    {t("causes.now", { share: (c.share * 100).toFixed(0) })}
                    {Number(c.confirmed) > 0 && ` · ${t("causes.confirmed", { count: Number(c.confirmed) })}`}
                  </span>
                </span>
              ) : (
                <span className="faint">–</span>
              );
            },
          })),
        ]}
      />
      {office && (
        <Button className="above" type="primary" onClick={save}>
          {t("causes.save")}
        </Button>
      )}
      {clash && <Alert className="above" type="warning" showIcon title={t("prices.clash")} />}
    </>
  );
}
