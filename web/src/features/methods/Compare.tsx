import { useTranslation } from "react-i18next";
import { useSearchParams } from "react-router";
import { api } from "../../api/client";
import { useProcedures } from "../../api/hooks";
import { Await, Grid, Pick, Sideways } from "../../ui/Parts";
import { useWords } from "../../ui/settings";

/** What differs between two procedures or two versions of one, by step and not by line. */
export default function Compare() {
  const { t } = useTranslation();
  const words = useWords();
  const list = useProcedures();
  // The pair stands in the address, so that it can be handed on.
  const [search, setSearch] = useSearchParams();
  const [from, to] = [search.get("from") ?? undefined, search.get("to") ?? undefined];
  const setPair = (a?: string, b?: string) => setSearch({ ...(a && { from: a }), ...(b && { to: b }) });
  const names = (list.data ?? []).map((p) => ({
    value: `${p.id}@${p.version}`,
    label: `${p.title} · ${t("methods.version", { v: p.version })}`,
  }));
  const [[fromId = "", fromVersion], [toId = "", toVersion]] = [(from ?? "").split("@"), (to ?? "").split("@")];
  const pair = { fromId, fromVersion: Number(fromVersion), toId, toVersion: Number(toVersion) };
  const differences = api.useQuery(
    "get",
    "/api/procedures/compare",
    { params: { query: pair } },
    { enabled: !!from && !!to },
  );
  return (
    <>
      <h1>{t("methods.compare")}</h1>
      <div className="row below">
        <Pick label={t("methods.before")} room="xxl" value={from} options={names} onChange={(v) => setPair(v, to)} />
        <Pick label={t("methods.after")} room="xxl" value={to} options={names} onChange={(v) => setPair(from, v)} />
      </div>
      {from && to && (
        <Await of={differences}>
          {(rows) => (
            <Sideways card>
              <Grid
                rows={rows}
                rowKey={(r) => r.path}
                empty={t("methods.same")}
                columns={[
                  { title: t("methods.where"), render: (r) => r.path },
                  { title: t("methods.before"), render: (r) => words(r.before) || "–" },
                  { title: t("methods.after"), render: (r) => words(r.after) || "–" },
                ]}
              />
            </Sideways>
          )}
        </Await>
      )}
    </>
  );
}
