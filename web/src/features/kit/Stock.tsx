import { Button, InputNumber, Select } from "antd";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import { Link } from "react-router";
import type { S } from "../../api/client";
import { useCrews, usePicks, useSession, useStock } from "../../api/hooks";
import { useItemName } from "../../domain/kitItem";
import { useLedger } from "../../offline/useLedger";
import { Await, Grid } from "../../ui/Parts";
import { lately } from "../../ui/settings";

/** A company has one store; its stream has this id. */
const STORE = "00000000-0000-7000-8000-000000000001";

/** Lists to load that are open. */
export function Picks() {
  const { t } = useTranslation();
  const picks = usePicks();
  const crews = useCrews();
  return (
    <section className="card">
      <h2>{t("pick.lists")}</h2>
      <Await of={picks}>
        {(list) => (
          <Grid
            rowKey={(p) => p.id}
            rows={list}
            empty={t("pick.noLists")}
            columns={[
              {
                title: t("pick.made"),
                render: (p) => <Link to={`/kit/pick/${p.id}`}>{p.madeAt ? lately(p.madeAt) : ""}</Link>,
              },
              { title: t("assign.crew"), render: (p) => crews.data?.find((c) => c.crewId === p.crewId)?.name ?? "" },
              {
                title: t("pick.lines"),
                right: true,
                render: (p) =>
                  t("pick.done", {
                    done: (p.lines ?? []).filter((l) => l.loaded >= l.needed).length,
                    of: p.lines?.length ?? 0,
                  }),
              },
            ]}
          />
        )}
      </Await>
    </section>
  );
}

/** What lies in the van and in the store, and a new count of it. */
export function Stock() {
  const { t } = useTranslation();
  const person = useSession().data?.person;
  const crews = useCrews();
  const [chosen, setChosen] = useState<string>();
  const crewId = person?.role === "office" ? (chosen ?? crews.data?.[0]?.crewId) : (person?.crewId ?? undefined);
  const stock = useStock(crewId);
  const nameOf = useItemName();
  return (
    <section className="card">
      <h2>{t("stock.title")}</h2>
      <p className="faint">{t("stock.text")}</p>
      {person?.role === "office" && (
        <Select
          className="w-m below"
          aria-label={t("assign.crew")}
          value={crewId}
          onChange={setChosen}
          options={(crews.data ?? []).map((c) => ({ value: c.crewId, label: c.name }))}
        />
      )}
      <Await of={stock}>
        {(list) => (
          <Grid
            rowKey={(s) => JSON.stringify(s.item)}
            rows={list}
            empty={t("stock.none")}
            columns={[
              { title: t("pick.item"), render: (s) => nameOf(s.item) },
              { title: t("stock.van"), right: true, render: (s) => <Count level={s} of="van" crewId={crewId} /> },
              { title: t("stock.store"), right: true, render: (s) => <Count level={s} of="store" crewId={crewId} /> },
            ]}
          />
        )}
      </Await>
    </section>
  );
}

function Count({ level, of, crewId }: { level: S["StockLevel"]; of: "van" | "store"; crewId?: string }) {
  const { t } = useTranslation();
  const tell = useLedger();
  const nameOf = useItemName();
  const now = level[of];
  const [typed, setTyped] = useState<number | null>(null);
  const save = async () => {
    if (typed === null || (of === "van" && !crewId)) return;
    await tell(
      of === "van"
        ? {
            stream: "crew",
            streamId: crewId as string,
            kind: "stock-counted",
            body: { item: level.item, count: typed },
          }
        : { stream: "store", streamId: STORE, kind: "store-counted", body: { item: level.item, count: typed } },
    );
    setTyped(null);
  };
  return (
    <span className="row middle end">
      <b>{now ?? "–"}</b>
      <InputNumber
        aria-label={t("stock.countOf", { what: nameOf(level.item), where: t(`stock.${of}`) })}
        className="w-xs"
        min={0}
        value={typed}
        placeholder={t("stock.count")}
        onChange={setTyped}
        onPressEnter={save}
      />
      {typed !== null && <Button onClick={save}>{t("stock.say")}</Button>}
    </span>
  );
}
