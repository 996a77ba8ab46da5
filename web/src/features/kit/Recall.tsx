import { Input, Select } from "antd";
import { useDeferredValue, useState } from "react";
import { useTranslation } from "react-i18next";
import { Link, useSearchParams } from "react-router";
import { api, type S } from "../../api/client";
import { useTools } from "../../api/hooks";
import { Await, Grid } from "../../ui/Parts";
import { Scan } from "../../ui/Scan";
import { lately } from "../../ui/settings";

/** Where what was found is at home. */
const HOME = {
  job: (id: string) => `/jobs/${id}`,
  end: (id: string) => `/handover/${id}`,
  person: (id: string) => `/yield?by=person&key=${id}`,
};

/** One field for all that has a name; and from one lot or tool to every connector that it touched. */
export function Recall() {
  const { t } = useTranslation();
  const [query, setQuery] = useSearchParams();
  const lot = query.get("lot") ?? undefined;
  const toolId = query.get("tool") ?? undefined;
  const [typed, setTyped] = useState(lot ?? "");
  const tools = useTools();
  const find = (name: "lot" | "tool", value: string | undefined) =>
    setQuery((q) => {
      q.delete("lot");
      q.delete("tool");
      if (value) q.set(name, value);
      return q;
    });
  const asked = useDeferredValue(typed.trim());
  const hits = api.useQuery(
    "get",
    "/api/search",
    { params: { query: { find: asked } } },
    { enabled: asked.length > 1, placeholderData: (b: S["Hit"][] | undefined) => b },
  );
  const found = api.useQuery(
    "get",
    "/api/recall",
    { params: { query: { lot, toolId } } },
    { enabled: !!lot || !!toolId },
  );
  return (
    <section className="card" id="recall">
      <h2>{t("recall.title")}</h2>
      <p className="faint">{t("recall.text")}</p>
      <div className="row middle below">
        <Input.Search
          className="w-l"
          aria-label={t("recall.find")}
          placeholder={t("recall.find")}
          maxLength={60}
          value={typed}
          onChange={(e) => setTyped(e.target.value)}
          onSearch={(v) => find("lot", v.trim() || undefined)}
        />
        <Scan label={t("scan.scan")} onRead={(text) => setTyped(text.trim().slice(0, 60))} />
        <Select
          className="w-l"
          allowClear
          aria-label={t("recall.tool")}
          placeholder={t("recall.tool")}
          value={toolId}
          onChange={(v) => find("tool", v)}
          options={(tools.data ?? []).map((x) => ({
            value: x.id,
            label: [x.name, x.number].filter(Boolean).join(" "),
          }))}
        />
      </div>
      {hits.data && typed.trim() !== lot && (
        <ul className="list below">
          {hits.data.length === 0 && <li className="faint">{t("recall.noHit")}</li>}
          {hits.data.map((h) => (
            <li key={`${h.kind}${h.id}${h.name}`}>
              <span className="faint">{t(`recall.kind.${h.kind}`)}</span>{" "}
              {h.kind === "lot" ? (
                <button
                  type="button"
                  className="plain-link"
                  onClick={() => {
                    setTyped(h.name);
                    find("lot", h.name);
                  }}
                >
                  {h.name}
                </button>
              ) : h.kind === "tool" ? (
                <button type="button" className="plain-link" onClick={() => find("tool", h.id ?? undefined)}>
                  {h.name}
                </button>
              ) : h.kind === "instrument" ? (
                <b>{h.name}</b>
              ) : (
                <Link to={HOME[h.kind](h.id ?? "")}>{h.name}</Link>
              )}{" "}
              <span className="faint">{h.more}</span>
            </li>
          ))}
        </ul>
      )}
      {(lot || toolId) && (
        <Await of={found}>
          {(f) => (
            <>
              <p className="said">{t("recall.found", { count: f.ends.length })}</p>
              <Grid
                rowKey={(e) => `${e.endId}${e.attempt}`}
                rows={f.ends}
                empty={t("recall.none")}
                columns={[
                  { title: t("recall.end"), render: (e) => <Link to={`/handover/${e.endId}`}>{e.address}</Link> },
                  { title: t("recall.job"), render: (e) => e.customer },
                  { title: t("recall.attempt"), right: true, render: (e) => e.attempt },
                  {
                    title: t("recall.outcome"),
                    render: (e) => t(`recall.out.${e.outcome}`, { defaultValue: e.outcome }),
                  },
                  { title: t("recall.made"), render: (e) => lately(e.startedAt) },
                  { title: t("recall.by"), render: (e) => e.personName },
                ]}
              />
            </>
          )}
        </Await>
      )}
    </section>
  );
}
