import { useQueryClient } from "@tanstack/react-query";
import { Alert, Button, Checkbox, Input, InputNumber, Select } from "antd";
import { useEffect, useState } from "react";
import { useTranslation } from "react-i18next";
import { ApiError, answered, http, type S } from "../../api/client";
import { useFigures, useSession } from "../../api/hooks";
import { Await, choices, Grid, useChoices, useFault } from "../../ui/Parts";
import { PackHolds } from "./PackHolds";

/** Prices, packs and times as the company has them; what it has not set is an assumption, and says so. */
export function Prices() {
  const { t } = useTranslation();
  const figures = useFigures();
  return (
    <section className="card" id="prices">
      <h2>{t("prices.title")}</h2>
      <Await of={figures}>{(f) => <Edit key={f.version} of={f} />}</Await>
    </section>
  );
}

function Edit({ of }: { of: S["FiguresAnswer"] }) {
  const { t } = useTranslation();
  const office = useSession().data?.person?.role === "office";
  const options = useChoices();
  const client = useQueryClient();
  const fault = useFault();
  const [f, setF] = useState(of.figures);
  const [clash, setClash] = useState(false);
  useEffect(() => setF(of.figures), [of.figures]);
  const put = (part: Partial<S["CompanyFigures"]>) => setF({ ...f, ...part });
  const at = <T,>(list: T[], i: number, part: Partial<T>) => list.map((x, k) => (k === i ? { ...x, ...part } : x));
  const num = (label: string, value: number | null, onChange: (v: number) => void, step = 1) => (
    <InputNumber
      aria-label={label}
      className="w-s"
      min={0}
      step={step}
      disabled={!office}
      value={value}
      onChange={(v) => v !== null && onChange(v)}
    />
  );
  const save = async () => {
    try {
      await answered(http.PUT("/api/company/figures", { body: { version: of.version, figures: f } }));
      setClash(false);
      await client.invalidateQueries();
    } catch (e) {
      if (e instanceof ApiError && e.problem.code === "changed-meanwhile") setClash(true);
      else fault(e);
    }
  };
  return (
    <>
      {of.version === 0 && <Alert className="below" type="info" showIcon title={t("prices.assumed")} />}
      <div className="row middle below">
        <Named label={t("prices.currency")}>
          <Input
            aria-label={t("prices.currency")}
            className="w-xs"
            maxLength={8}
            disabled={!office}
            value={f.currency}
            onChange={(e) => put({ currency: e.target.value })}
          />
        </Named>
        <Named label={t("prices.wage")}>{num(t("prices.wage"), f.wagePerHour, (v) => put({ wagePerHour: v }))}</Named>
        <Named label={t("prices.trip")}>
          <InputNumber
            aria-label={t("prices.trip")}
            className="w-s"
            min={0}
            disabled={!office}
            value={f.tripCost}
            placeholder={t("prices.unknown")}
            onChange={(v) => put({ tripCost: v })}
          />
        </Named>
        <Named label={t("prices.hold")}>
          {num(t("prices.hold"), f.holdShare * 100, (v) => put({ holdShare: v / 100 }), 5)}
        </Named>
        <Named label={t("prices.risk")}>
          {num(t("prices.risk"), f.riskShown * 100, (v) => put({ riskShown: v / 100 }))}
        </Named>
      </div>
      <h3>{t("prices.methods")}</h3>
      <Grid
        rowKey={(m) => m.method}
        rows={f.methods}
        columns={[
          { title: t("bring.method"), render: (m) => t(`method.${m.method}`) },
          ...(
            [
              ["connectorPrice", 0.5],
              ["toolPrice", 50],
              ["toolLifeEnds", 100],
              ["minutes", 1],
              ["lossMeanDb", 0.01],
              ["lossSdDb", 0.01],
            ] as const
          ).map(([field, step]) => ({
            title: t(`prices.${field}`),
            render: (m: S["MethodPrice"]) =>
              num(
                `${t(`prices.${field}`)}, ${t(`method.${m.method}`)}`,
                m[field],
                (v) => put({ methods: at(f.methods, f.methods.indexOf(m), { [field]: v }) }),
                step,
              ),
          })),
          {
            title: t("prices.keeps"),
            render: (m) => (
              <Checkbox
                aria-label={`${t("prices.keeps")}, ${t(`method.${m.method}`)}`}
                disabled={!office}
                checked={m.keeps}
                onChange={(e) => put({ methods: at(f.methods, f.methods.indexOf(m), { keeps: e.target.checked }) })}
              />
            ),
          },
          {
            title: t("prices.toolOwned"),
            render: (m) => (
              <Checkbox
                aria-label={`${t("prices.toolOwned")}, ${t(`method.${m.method}`)}`}
                disabled={!office}
                checked={m.toolOwned}
                onChange={(e) => put({ methods: at(f.methods, f.methods.indexOf(m), { toolOwned: e.target.checked }) })}
              />
            ),
          },
        ]}
      />
      <h3>{t("prices.packs")}</h3>
      <Grid
        rowKey={(p) => `${f.packs.indexOf(p)}`}
        rows={f.packs}
        columns={[
          {
            title: t("prices.packName"),
            render: (p) => (
              <Input
                aria-label={`${t("prices.packName")}, ${t(`method.${p.method}`)}`}
                className="w-s"
                disabled={!office}
                maxLength={60}
                value={p.name}
                onChange={(e) => put({ packs: at(f.packs, f.packs.indexOf(p), { name: e.target.value }) })}
              />
            ),
          },
          { title: t("bring.method"), render: (p) => t(`method.${p.method}`) },
          {
            title: t("prices.size"),
            render: (p) =>
              num(`${t("prices.size")}, ${t(`method.${p.method}`)}, ${p.name}`, p.size, (v) =>
                put({ packs: at(f.packs, f.packs.indexOf(p), { size: Math.round(v) }) }),
              ),
          },
          {
            title: t("prices.price"),
            render: (p) =>
              num(`${t("prices.price")}, ${t(`method.${p.method}`)}, ${p.name}`, p.price, (v) =>
                put({ packs: at(f.packs, f.packs.indexOf(p), { price: v }) }),
              ),
          },
          {
            title: t("prices.serves"),
            render: (p) => (
              <Select
                mode="multiple"
                className="w-l"
                maxTagCount={1}
                disabled={!office}
                aria-label={`${t("prices.serves")}, ${t(`method.${p.method}`)}, ${p.name}`}
                value={p.constructions}
                options={options("construction", choices.construction)}
                onChange={(v) => put({ packs: at(f.packs, f.packs.indexOf(p), { constructions: v }) })}
              />
            ),
          },
          {
            title: t("prices.holds"),
            render: (p) => (
              <PackHolds
                pack={p}
                office={office}
                onChange={(holds) => put({ packs: at(f.packs, f.packs.indexOf(p), { holds }) })}
              />
            ),
          },
          {
            title: t("app.remove"),
            render: (p) =>
              office && (
                <Button
                  aria-label={`${t("app.remove")}: ${t(`method.${p.method}`)}, ${p.name}`}
                  onClick={() => put({ packs: f.packs.filter((x) => x !== p) })}
                >
                  ×
                </Button>
              ),
          },
        ]}
      />
      {office && <AddPack onAdd={(p) => put({ packs: [...f.packs, p] })} like={f.packs} />}
      <h3>{t("prices.supplies")}</h3>
      <Grid
        rowKey={(s) => `${s.kind}`}
        rows={f.supplies}
        columns={[
          { title: t("pick.item"), render: (s) => t(`supply.${s.kind}`) },
          {
            title: t("prices.each"),
            render: (s) => (
              <span className="row middle">
                {num(`${t("prices.each")}, ${t(`supply.${s.kind}`)}`, s.each, (v) =>
                  put({ supplies: at(f.supplies, f.supplies.indexOf(s), { each: v }) }),
                )}
                <span className="faint">{t(`supply.each.${s.kind}`)}</span>
              </span>
            ),
          },
          {
            title: t("prices.price"),
            render: (s) =>
              num(
                `${t("prices.price")}, ${t(`supply.${s.kind}`)}`,
                s.price,
                (v) => put({ supplies: at(f.supplies, f.supplies.indexOf(s), { price: v }) }),
                0.1,
              ),
          },
          {
            title: t("prices.pack"),
            render: (s) =>
              num(`${t("prices.pack")}, ${t(`supply.${s.kind}`)}`, s.pack, (v) =>
                put({ supplies: at(f.supplies, f.supplies.indexOf(s), { pack: Math.round(v) }) }),
              ),
          },
        ]}
      />
      {office && (
        <div className="row above">
          <Button type="primary" onClick={save}>
            {t("prices.save")}
          </Button>
          <Button onClick={() => setF(of.usual)}>{t("prices.usual")}</Button>
        </div>
      )}
      {clash && <Alert className="above" type="warning" showIcon title={t("prices.clash")} />}
      <p className="faint above">{t("prices.mixes")}</p>
    </>
  );
}

function Named({ label, children }: { label: string; children: React.ReactNode }) {
  return (
    <div className="pick">
      <div className="faint">{label}</div>
      {children}
    </div>
  );
}

/** A pack of a method begins as the last one of it. */
function AddPack({ like, onAdd }: { like: S["ConnectorPack"][]; onAdd: (p: S["ConnectorPack"]) => void }) {
  const { t } = useTranslation();
  const options = useChoices();
  const [method, setMethod] = useState<S["TerminationMethod"]>("wedge-locked");
  return (
    <div className="row middle above">
      <Select
        className="w-m"
        aria-label={t("prices.packOf")}
        value={method}
        onChange={setMethod}
        options={options("method", choices.method)}
      />
      <Button
        onClick={() => {
          const last = like.findLast((p) => p.method === method);
          onAdd(
            last
              ? { ...last, name: t("prices.newPack") }
              : {
                  name: t("prices.newPack"),
                  method,
                  size: 1,
                  price: 0,
                  constructions: [...choices.construction] as S["CableConstruction"][],
                  holds: [{ part: "connector", constructions: null }],
                },
          );
        }}
      >
        {t("prices.addPack")}
      </Button>
    </div>
  );
}
