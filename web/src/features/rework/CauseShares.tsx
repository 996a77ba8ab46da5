import { useQueryClient } from "@tanstack/react-query";
import { Alert, Button, InputNumber, Select } from "antd";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import { ApiError, answered, api, http, type S } from "../../api/client";
import { useSession } from "../../api/hooks";
import { Await, Grid, useFault } from "../../ui/Parts";

const FAMILIES: S["GlassFamily"][] = ["polished", "stub", "fused"];
const ACT_FIGURES = ["minutes", "parts", "slackMm", "renews"] as const;

/** What was typed, by its place in the tables: `causes.contamination.stub`, `signs.face.usual.2`, `acts.clean.minutes`. */
type Typed = Record<string, number>;

/** What is taken for likely before anything is seen, what each cause shows, and what cures it: as shipped, as the company says it, and as confirmed causes have moved it. */
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

const causeOf = (row: S["SignRow"]) => row.cause ?? "usual";

/** The tables as they are to be kept: what was the company's own, and what was typed now. */
function ownOf(of: S["CausesView"], typed: Typed) {
  const causes: Record<string, Record<string, number>> = {};
  for (const c of of.causes) {
    const now = typed[`causes.${c.cause}.${c.family}`];
    if (c.own || now !== undefined) causes[String(c.cause)] = { ...causes[String(c.cause)], [c.family]: now ?? c.said };
  }
  const signs: Record<string, Record<string, number[]>> = {};
  for (const s of of.signs)
    for (const row of s.rows) {
      const values = row.said.map((p, i) => typed[`signs.${s.sign}.${causeOf(row)}.${i}`] ?? p);
      if (row.own || values.some((v, i) => v !== row.said[i]))
        signs[s.sign] = { ...signs[s.sign], [causeOf(row)]: values };
    }
  const acts: Record<string, Record<string, unknown>> = {};
  for (const a of of.acts) {
    const own: Record<string, unknown> = {};
    for (const f of ACT_FIGURES) {
      const now = typed[`acts.${a.act}.${f}`];
      if (a[f] !== null && (a.own || now !== undefined)) own[f] = now ?? a[f];
    }
    const cures: Record<string, number> = {};
    for (const c of a.cures) {
      const now = typed[`acts.${a.act}.cures.${c.cause}`];
      if (c.own || now !== undefined) cures[String(c.cause)] = now ?? c.said;
    }
    if (Object.keys(cures).length) own.cures = cures;
    if (Object.keys(own).length) acts[a.act] = own;
  }
  return { causes, signs, acts };
}

function Edit({ of }: { of: S["CausesView"] }) {
  const { t } = useTranslation();
  const office = useSession().data?.person?.role === "office";
  const client = useQueryClient();
  const fault = useFault();
  const [typed, setTyped] = useState<Typed>({});
  const [clash, setClash] = useState(false);
  const type = (place: string, value: number) => setTyped({ ...typed, [place]: value });
  const part = { of, typed, type, office };
  const save = async () => {
    try {
      await answered(
        http.PUT("/api/diagnosis/causes", { body: { version: of.version, ...ownOf(of, typed) } as never }),
      );
      await client.invalidateQueries();
    } catch (e) {
      if (e instanceof ApiError && e.problem.code === "changed-meanwhile") setClash(true);
      else fault(e);
    }
  };
  return (
    <>
      <p className="faint">{t("causes.how", { weight: of.weight })}</p>
      <Shares {...part} />
      <Signs {...part} />
      <Acts {...part} />
      {office && (
        <Button className="above" type="primary" disabled={Object.keys(typed).length === 0} onClick={save}>
          {t("causes.save")}
        </Button>
      )}
      {clash && <Alert className="above" type="warning" showIcon title={t("prices.clash")} />}
    </>
  );
}

type Part = { of: S["CausesView"]; typed: Typed; type: (place: string, value: number) => void; office: boolean };

/** A share in per cent, as it is said, with what is made of it beside. */
function Share(
  props: Omit<Part, "of"> & { place: string; label: string; said: number; now: number; least?: number; more?: string },
) {
  const { t } = useTranslation();
  const { place, label, said, now, typed, type, office, least = 0.1, more } = props;
  return (
    <span className="row middle">
      <InputNumber
        className="w-xs"
        aria-label={label}
        min={least}
        max={100}
        step={1}
        disabled={!office}
        value={Math.round((typed[place] ?? said) * 1000) / 10}
        onChange={(v) => v !== null && type(place, v / 100)}
      />
      <span className="faint">
        {t("causes.now", { share: (now * 100).toFixed(0) })}
        {more && ` · ${more}`}
      </span>
    </span>
  );
}

function Shares({ of, ...part }: Part) {
  const { t } = useTranslation();
  const rows = [...new Set(of.causes.map((c) => String(c.cause)))];
  return (
    <Grid
      rowKey={(r) => r}
      rows={rows}
      columns={[
        { title: t("yield.reason"), render: (r) => t(`reason.${r}`) },
        ...FAMILIES.map((f) => ({
          title: t(`causes.family.${f}`),
          render: (r: string) => {
            const c = of.causes.find((x) => x.cause === r && x.family === f);
            const found = Number(c?.confirmed ?? 0);
            return c ? (
              <Share
                {...part}
                place={`causes.${r}.${f}`}
                label={`${t(`reason.${r}`)}, ${t(`causes.family.${f}`)}`}
                said={c.said}
                now={c.share}
                more={found > 0 ? t("causes.confirmed", { count: found }) : undefined}
              />
            ) : (
              <span className="faint">–</span>
            );
          },
        })),
      ]}
    />
  );
}

/** What a cause shows of one sign. */
function Signs({ of, ...part }: Part) {
  const { t } = useTranslation();
  const [id, setId] = useState(of.signs[0]?.sign);
  const sign = of.signs.find((s) => s.sign === id);
  const [cause, setCause] = useState<string>("contamination");
  const row = sign?.rows.find((r) => causeOf(r) === cause) ?? sign?.rows[0];
  if (!sign || !row) return null;
  const name = (r: S["SignRow"]) => (r.cause ? t(`reason.${r.cause}`) : t("causes.usual"));
  return (
    <section className="above">
      <h3>{t("causes.signs")}</h3>
      <p className="faint">{t("causes.signsHow", { weight: of.rowWeight })}</p>
      <div className="row wrap">
        <Select
          className="w-l"
          aria-label={t("causes.sign")}
          value={sign.sign}
          onChange={setId}
          options={of.signs.map((s) => ({ value: s.sign, label: t(`sign.${s.sign}.name`) }))}
        />
        <Select
          className="w-l"
          aria-label={t("yield.reason")}
          value={causeOf(row)}
          onChange={setCause}
          options={sign.rows.map((r) => ({ value: causeOf(r), label: name(r) }))}
        />
      </div>
      <ul className="list">
        {sign.values.map((value, i) => (
          <li key={value} className="row between middle">
            <span>{t(`sign.${sign.sign}.${value}`)}</span>
            <Share
              {...part}
              place={`signs.${sign.sign}.${causeOf(row)}.${i}`}
              label={`${t(`sign.${sign.sign}.${value}`)}: ${name(row)} (%)`}
              said={row.said[i] ?? 0}
              now={row.share[i] ?? 0}
            />
          </li>
        ))}
      </ul>
      {row.seen > 0 && <p className="faint">{t("causes.seen", { count: row.seen })}</p>}
    </section>
  );
}

/** What an act takes, and how often it cures what. */
function Acts({ of, ...part }: Part) {
  const { t } = useTranslation();
  const [id, setId] = useState(of.acts[0]?.act);
  const act = of.acts.find((a) => a.act === id);
  if (!act) return null;
  return (
    <section className="above">
      <h3>{t("causes.acts")}</h3>
      <Select
        className="w-l"
        aria-label={t("causes.act")}
        value={act.act}
        onChange={setId}
        options={of.acts.map((a) => ({ value: a.act, label: t(`act.${a.act}`) }))}
      />
      <ul className="list">
        {ACT_FIGURES.filter((f) => f !== "renews").map((f) => (
          <li key={f} className="row between middle">
            <span>{t(`causes.figure.${f}`)}</span>
            <InputNumber
              className="w-xs"
              aria-label={`${t(`act.${act.act}`)}: ${t(`causes.figure.${f}`)}`}
              min={f === "minutes" ? 0.1 : 0}
              max={10_000}
              disabled={!part.office}
              value={part.typed[`acts.${act.act}.${f}`] ?? act[f]}
              onChange={(v) => v !== null && part.type(`acts.${act.act}.${f}`, v)}
            />
          </li>
        ))}
        {act.renews !== null && (
          <li className="row between middle">
            <span>{t("causes.figure.renews")}</span>
            <Share
              {...part}
              least={0}
              place={`acts.${act.act}.renews`}
              label={`${t(`act.${act.act}`)}: ${t("causes.figure.renews")}`}
              said={act.renews}
              now={act.renews}
            />
          </li>
        )}
        {act.cures.map((c) => (
          <li key={String(c.cause)} className="row between middle">
            <span>{t("causes.cures", { cause: t(`reason.${c.cause}`) })}</span>
            <Share
              {...part}
              least={0}
              place={`acts.${act.act}.cures.${c.cause}`}
              label={`${t(`act.${act.act}`)}: ${t("causes.cures", { cause: t(`reason.${c.cause}`) })}`}
              said={c.said}
              now={c.share}
              more={c.tried > 0 ? t("causes.tried", { cured: c.cured, count: c.tried }) : undefined}
            />
          </li>
        ))}
      </ul>
    </section>
  );
}
