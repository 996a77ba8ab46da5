import { Button, Checkbox, Input, InputNumber } from "antd";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import { Link, useParams } from "react-router";
import { v7 as uuid7 } from "uuid";
import type { S } from "../../api/client";
import { usePickList } from "../../api/hooks";
import { amountOf, sameItem, useItemName } from "../../domain/kitItem";
import { useLedger } from "../../offline/useLedger";
import { DayField } from "../../ui/DayField";
import { Await } from "../../ui/Parts";
import { Scan } from "../../ui/Scan";
import { lately } from "../../ui/settings";

/** What a crew loads, line by line, with its lots, on the phone beside the van. */
export default function PickList() {
  const { t } = useTranslation();
  const { pickId } = useParams();
  const list = usePickList(pickId);
  return (
    <>
      <h1>{t("pick.title")}</h1>
      <Await of={list}>{(p) => <Lines of={p} />}</Await>
    </>
  );
}

function Lines({ of }: { of: S["PickAnswer"] }) {
  const { t } = useTranslation();
  const tell = useLedger();
  const { pick } = of;
  const lines = (pick.lines ?? []).map((line, no) => ({ line, no }));
  const done = lines.filter((l) => l.line.loaded >= l.line.needed).length;
  // By space, then what is spare or for all.
  const groups = new Map<string, typeof lines>();
  for (const l of lines) {
    const key = l.line.spaceId ? (of.spaces[l.line.spaceId] ?? "") : "";
    groups.set(key, [...(groups.get(key) ?? []), l]);
  }
  const sorted = [...groups].sort(([a], [b]) => (a === "" ? 1 : b === "" ? -1 : a.localeCompare(b)));
  return (
    <>
      <section className="card">
        <p>
          <b>{of.crewName}</b> · {of.customers.join("; ")} · {pick.madeAt ? lately(pick.madeAt) : ""}
        </p>
        <p className="said">
          {t("pick.done", { done, of: lines.length })}
          {pick.closedAt && ` · ${t("pick.closed")}`}
        </p>
      </section>
      {sorted.map(([space, rows]) => (
        <section className="card" key={space} aria-label={space || t("pick.forAll")}>
          <h2>{space ? t("pick.forSpace", { space }) : t("pick.forAll")}</h2>
          <ul className="list pick-list">
            {rows.map(({ line, no }) => (
              <Line
                key={no}
                pickId={pick.id}
                no={no}
                line={line}
                stock={of.stock.find((s) => sameItem(s.item, line.item))}
                crewId={pick.crewId}
                closed={!!pick.closedAt}
              />
            ))}
          </ul>
        </section>
      ))}
      <div className="row noprint">
        <Button size="large" onClick={() => window.print()}>
          {t("pick.print")}
        </Button>
        {!pick.closedAt && (
          <Button
            size="large"
            onClick={() => tell({ stream: "pick", streamId: pick.id, kind: "pick-closed", body: { note: null } })}
          >
            {t("pick.close")}
          </Button>
        )}
      </div>
      <p className="above noprint">
        <Link to="/kit">{t("pick.back")}</Link>
      </p>
    </>
  );
}

function Line(props: {
  pickId: string;
  no: number;
  line: S["PickedLine"];
  stock?: S["StockLevel"];
  crewId: string;
  closed: boolean;
}) {
  const { t } = useTranslation();
  const tell = useLedger();
  const nameOf = useItemName();
  const { line, stock } = props;
  const [open, setOpen] = useState(false);
  const [count, setCount] = useState<number>(line.loaded || line.needed);
  const [lot, setLot] = useState(line.lotNumber ?? "");
  const [useBy, setUseBy] = useState(line.useBy);
  const [fromStore, setFromStore] = useState(line.loadedAt ? line.fromStore : (stock?.van ?? 0) < line.needed);
  // What was said here holds at once; the answer of the server follows.
  const [said, setSaid] = useState<number>();
  const loaded = said ?? line.loaded;
  const enough = loaded >= line.needed;
  const name = nameOf(line.item);
  const load = async (n: number, lotNumber: string) => {
    const body = {
      line: props.no,
      count: n,
      lotNumber: lotNumber || null,
      useBy,
      fromStore,
    };
    setSaid(n);
    const { ok } = await tell(
      { stream: "pick", streamId: props.pickId, kind: "pick-loaded", body },
      // The lot is the crew's from now on: pre-flights know it.
      ...(n > 0 && lotNumber && lotNumber !== line.lotNumber
        ? [
            {
              stream: "lot" as const,
              streamId: uuid7(),
              kind: "lot-opened" as const,
              body: { crewId: props.crewId, material: name.slice(0, 60), number: lotNumber, useBy: body.useBy },
            },
          ]
        : []),
    );
    if (!ok) setSaid(undefined);
    setOpen(false);
  };
  const have = (stock?.van ?? 0) + (stock?.store ?? 0);
  const counted = stock != null && (stock.van != null || stock.store != null);
  return (
    <li className={enough ? "loaded" : undefined}>
      <div className="row middle">
        <Checkbox
          className="big"
          checked={enough}
          disabled={props.closed}
          aria-label={t("pick.check", { what: `${amountOf(line.needed, line.item.supply)} ${name}` })}
          onChange={(e) => load(e.target.checked ? line.needed : 0, e.target.checked ? lot : "")}
        />
        <span className="grow">
          <b>{amountOf(line.needed, line.item.supply)}</b> {name}
          {loaded > 0 && loaded < line.needed && (
            <span className="tone-doubtful"> · {t("pick.some", { count: amountOf(loaded, line.item.supply) })}</span>
          )}
          {line.lotNumber && <span className="faint"> · {t("pick.lotOf", { lot: line.lotNumber })}</span>}
          {counted && (
            <div className={have < line.needed - loaded ? "tone-bad" : "faint"}>
              {t("pick.stock", { van: stock.van ?? "–", store: stock.store ?? "–" })}
              {have < line.needed - loaded &&
                ` · ${t("pick.short", { count: Math.ceil(line.needed - loaded - have) })}`}
            </div>
          )}
        </span>
        {!loaded && <span className="onlyprint blank">{t("pick.lotBlank")}</span>}
        {!props.closed && (
          <Button
            size="large"
            className="noprint"
            aria-expanded={open}
            aria-label={t("pick.moreOf", { what: name })}
            onClick={() => setOpen(!open)}
          >
            {t("pick.more")}
          </Button>
        )}
      </div>
      {open && (
        <div className="row middle above">
          <InputNumber
            aria-label={t("pick.count")}
            size="large"
            min={0}
            value={count}
            onChange={(v) => v !== null && setCount(v)}
          />
          <Input
            aria-label={t("pick.lot")}
            placeholder={t("pick.lot")}
            size="large"
            className="w-m"
            maxLength={60}
            value={lot}
            onChange={(e) => setLot(e.target.value)}
          />
          <Scan label={t("scan.scan")} onRead={(text) => setLot(text.replace(/\s+/g, " ").trim().slice(0, 60))} />
          <span className="pick">
            <span className="faint">{t("kit.useBy")}</span>
            <DayField aria-label={t("kit.useBy")} size="large" value={useBy} onChange={setUseBy} />
          </span>
          <Checkbox checked={fromStore} onChange={(e) => setFromStore(e.target.checked)}>
            {t("pick.fromStore")}
          </Checkbox>
          <Button type="primary" size="large" onClick={() => load(count, lot.trim())}>
            {t("pick.load")}
          </Button>
        </div>
      )}
    </li>
  );
}
