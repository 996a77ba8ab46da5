import { Button, Checkbox, Segmented, Select } from "antd";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import { Link, useSearchParams } from "react-router";
import { answered, api, http, type S } from "../../api/client";
import { useCrews, useSession } from "../../api/hooks";
import { Await, Grid, Nothing, useFault } from "../../ui/Parts";
import { dayText, lately, today } from "../../ui/settings";
import { Funnel, Ranges, Weeks } from "./Charts";
import { Crossed } from "./Crossed";
import { Losses } from "./Losses";
import { Wear } from "./Wear";
import { nameOfGroup, percent } from "./words";

const BYS: S["YieldBy"][] = [
  "method",
  "crew",
  "person",
  "construction",
  "form",
  "polish",
  "mode",
  "procedure",
  "school",
  "lot",
  "tool",
  "job",
  "space",
];
const SPANS = { month: 30, quarter: 91, year: 365 };
type Span = keyof typeof SPANS;
const VIEWS = ["rates", "losses", "wear"] as const;
/** Groups that do the same work: only these are held against each other in a funnel. */
const COMPARABLE: S["YieldBy"][] = ["crew", "person", "job", "space", "lot", "tool"];

/** How often connectors are good at once: what stands out first, then by whatever is asked for. Every view has an address. */
export default function Yield() {
  const { t } = useTranslation();
  const [query, setQuery] = useSearchParams();
  const person = useSession().data?.person;
  const crews = useCrews();
  const by = BYS.find((b) => b === query.get("by")) ?? "method";
  const span = (query.get("span") ?? "year") as Span;
  const key = query.get("key");
  const view = VIEWS.find((v) => v === query.get("view")) ?? "rates";
  const and = BYS.find((b) => b === query.get("and") && b !== by);
  const andKey = query.get("andKey");
  const week = query.get("week");
  const from = new Date(Date.parse(today()) - (SPANS[span] ?? 365) * 86_400_000).toISOString().slice(0, 10);
  const crewId = query.get("crew") ?? undefined;
  const filters = { from, to: undefined, crewId };
  /** What is opened belongs to the view that it was opened in: another view closes it. */
  const set = (changes: Record<string, string | undefined>) =>
    setQuery((q) => {
      if (!("key" in changes || "week" in changes)) for (const name of ["key", "andKey", "week"]) q.delete(name);
      for (const [name, value] of Object.entries(changes)) {
        if (value) q.set(name, value);
        else q.delete(name);
      }
      return q;
    });
  const of = api.useQuery(
    "get",
    "/api/yield",
    { params: { query: { by, and, ...filters } } },
    { enabled: view === "rates", placeholderData: (b: S["YieldAnswer"] | undefined) => b, refetchInterval: 30_000 },
  );
  const findings = api.useQuery("get", "/api/yield/findings", { params: { query: filters } });
  return (
    <>
      <h1>{t("yield.title")}</h1>
      <section className="card" aria-label={t("yield.standsOut")}>
        <h2>{t("yield.standsOut")}</h2>
        <Await of={findings}>
          {(list) =>
            list.length === 0 ? (
              <p className="faint">{t("yield.quiet")}</p>
            ) : (
              <ul className="list">
                {list.map((f) => (
                  <Finding
                    key={`${f.finding.kind}${f.finding.by}${f.finding.key}`}
                    of={f}
                    onOpen={() =>
                      set({
                        view: undefined,
                        by: f.finding.by,
                        and: undefined,
                        key: f.finding.key,
                        andKey: undefined,
                        week: undefined,
                      })
                    }
                  />
                ))}
              </ul>
            )
          }
        </Await>
      </section>
      <section className="card">
        <div className="row middle below noprint">
          <Segmented
            aria-label={t("yield.view")}
            value={view}
            onChange={(v) => set({ view: v === "rates" ? undefined : v })}
            options={VIEWS.map((v) => ({ value: v, label: t(`yield.views.${v}`) }))}
          />
          {view !== "wear" && (
            <>
              <Select
                className="w-m"
                aria-label={t("yield.by")}
                value={by}
                onChange={(v) => set({ by: v })}
                options={BYS.map((b) => ({ value: b, label: t(`yield.bys.${b}`) }))}
              />
              {view === "rates" && (
                <Select
                  className="w-m"
                  allowClear
                  aria-label={t("yield.and")}
                  placeholder={t("yield.and")}
                  value={and}
                  onChange={(v) => set({ and: v })}
                  options={BYS.filter((b) => b !== by).map((b) => ({ value: b, label: t(`yield.bys.${b}`) }))}
                />
              )}
              <Segmented
                aria-label={t("yield.span")}
                value={span}
                onChange={(v) => set({ span: v as string })}
                options={(Object.keys(SPANS) as Span[]).map((s) => ({ value: s, label: t(`yield.spans.${s}`) }))}
              />
              {person?.role === "office" && (
                <Select
                  className="w-m"
                  allowClear
                  aria-label={t("assign.crew")}
                  placeholder={t("yield.allCrews")}
                  value={crewId}
                  onChange={(v) => set({ crew: v })}
                  options={(crews.data ?? []).map((c) => ({ value: c.crewId, label: c.name }))}
                />
              )}
            </>
          )}
          {view === "rates" && (
            <a
              className="files-link"
              download
              href={`/api/yield/file?by=${by}&from=${from}${and ? `&and=${and}` : ""}${crewId ? `&crewId=${crewId}` : ""}`}
            >
              CSV
            </a>
          )}
          <Button onClick={() => window.print()}>{t("app.print")}</Button>
        </div>
        {view === "losses" ? (
          <Losses by={by} filters={filters} />
        ) : view === "wear" ? (
          <Wear toolId={key ?? undefined} onChoose={(toolId) => set({ key: toolId })} />
        ) : (
          <Await of={of}>
            {(y) =>
              y.made === 0 ? (
                <Nothing text={t("yield.nothing")} />
              ) : (
                <>
                  <Said of={y} />
                  <div className="charts">
                    {y.groups.length > 0 && (
                      <Ranges of={y} onOpen={(k) => set({ key: k, andKey: undefined, week: undefined })} />
                    )}
                    {y.trend && (
                      <Weeks trend={y.trend} onOpen={(w) => set({ week: w, key: undefined, andKey: undefined })} />
                    )}
                    {COMPARABLE.includes(by) && y.groups.length > 2 && (
                      <Funnel of={y} onOpen={(k) => set({ key: k, andKey: undefined, week: undefined })} />
                    )}
                  </div>
                  {y.crossed && (
                    <Crossed by={by} of={y.crossed} onOpen={(k, a) => set({ key: k, andKey: a, week: undefined })} />
                  )}
                  <Groups of={y} onOpen={(k) => set({ key: k, andKey: undefined, week: undefined })} />
                  {(key || week) && (
                    <Behind
                      key={`${key}${andKey}${week}`}
                      of={y}
                      value={key}
                      and={and && andKey ? { by: and, key: andKey } : undefined}
                      week={week}
                      filters={filters}
                      onWear={by === "tool" && key ? () => set({ view: "wear", key }) : undefined}
                    />
                  )}
                  <Reasons of={y} />
                  <p className="faint">{t("yield.how")}</p>
                  {y.asOf && <p className="faint">{t("yield.asOf", { at: lately(y.asOf) })}</p>}
                  {person?.role === "office" && <Naming named={y.namesPeople} onChanged={of.refetch} />}
                </>
              )
            }
          </Await>
        )}
      </section>
    </>
  );
}

function Finding({ of, onOpen }: { of: S["YieldFindingView"]; onOpen: () => void }) {
  const { t } = useTranslation();
  const f = of.finding;
  const worse = f.rate < f.against;
  return (
    <li>
      <button type="button" className="plain-link" onClick={onOpen}>
        {t(`yield.finding.${f.kind}.${worse ? "worse" : "better"}`, {
          what: [
            t(`yield.one.${f.by}`, { name: nameOfGroup(t, f.by, f.key, of.name) }),
            f.method && f.by !== "method" && t(`method.${f.method}`),
          ]
            .filter(Boolean)
            .join(", "),
          rate: percent(f.rate),
          against: percent(f.against),
          since: f.since ? dayText(f.since) : "",
          made: f.made,
        })}
      </button>{" "}
      <span className="faint">
        {f.chance < 0.001 ? t("yield.hardlyChance") : t("yield.chance", { chance: percent(f.chance, 1) })}
      </span>
    </li>
  );
}

function Said({ of }: { of: S["YieldAnswer"] }) {
  const { t } = useTranslation();
  const { share, trend } = of;
  const change = trend?.chart.changeAt;
  return (
    <p className="said">
      {t("yield.said", {
        made: of.made,
        rate: percent(share.rate, 1),
        low: percent(share.low, 1),
        high: percent(share.high, 1),
      })}{" "}
      {t("yield.saidFinally", {
        rate: percent(of.accepted / of.made, 1),
        attempts: (of.accepted ? of.made / of.accepted : of.made).toFixed(2),
      })}{" "}
      {trend && change != null
        ? t((trend.chart.after ?? 0) > (trend.chart.before ?? 0) ? "yield.changedWorse" : "yield.changedBetter", {
            since: dayText(trend.weeks[change] ?? ""),
            before: percent(trend.chart.before ?? 0, 1),
            after: percent(trend.chart.after ?? 0, 1),
          })
        : trend && t("yield.steady")}
    </p>
  );
}

function Groups({ of, onOpen }: { of: S["YieldAnswer"]; onOpen: (key: string) => void }) {
  const { t } = useTranslation();
  return (
    <Grid
      rowKey={(g) => g.key ?? `${g.rate.made} ${g.rate.passed} ${g.reworkMinutes}`}
      rows={of.groups}
      columns={[
        {
          title: t(`yield.bys.${of.by}`),
          render: (g) =>
            g.key === null ? (
              <span className="faint">{t("yield.somebody")}</span>
            ) : (
              <button type="button" className="plain-link" onClick={() => onOpen(g.key as string)}>
                {nameOfGroup(t, of.by, g.key, g.name)}
              </button>
            ),
        },
        { title: t("yield.made"), right: true, render: (g) => g.rate.made },
        {
          title: t("yield.rate"),
          right: true,
          render: (g) => (
            <>
              <b className={TONES[g.rate.outsideOfAll]}>{percent(g.rate.rate, 1)}</b>
              <Beside>{`${percent(g.rate.low, 1)} – ${percent(g.rate.high, 1)}`}</Beside>
            </>
          ),
        },
        { title: t("yield.expected"), right: true, render: (g) => percent(g.rate.expected, 1) },
        { title: t("yield.verdict"), render: (g) => <Verdict rate={g.rate} /> },
        {
          title: t("yield.finally"),
          right: true,
          render: (g) => (
            <>
              {percent(g.rate.made ? g.accepted / g.rate.made : 0, 1)}
              {g.attempts !== null && <Beside>{t("yield.attemptsEach", { attempts: g.attempts.toFixed(2) })}</Beside>}
            </>
          ),
        },
        {
          title: t("yield.rework"),
          right: true,
          render: (g) => (
            <>
              {`${Math.round(g.reworkCost)} ${of.currency}`}
              <Beside>{t("yield.reworkOf", { minutes: Math.round(g.reworkMinutes), count: g.partsLost })}</Beside>
            </>
          ),
        },
        ...(of.groups.some((g) => g.shardsMissing > 0)
          ? [
              {
                title: t("yield.shards"),
                right: true,
                render: (g: S["YieldGroupView"]) =>
                  g.shardsMissing > 0 ? <b className="tone-bad">{+g.shardsMissing.toFixed(1)}</b> : "0",
              },
            ]
          : []),
      ]}
    />
  );
}

const TONES = { below: "tone-bad", above: "tone-good", within: "" } as const;

/** What a figure rests on, under it. */
const Beside = ({ children }: { children: React.ReactNode }) => <div className="faint nowrap">{children}</div>;

/** What may be said of a group: outside what chance allows for all that are shown, for itself alone, or nothing. */
function Verdict({ rate }: { rate: S["GroupRate"] }) {
  const { t } = useTranslation();
  if (rate.outsideOfAll !== "within")
    return (
      <span className={`nowrap ${rate.outsideOfAll === "below" ? "tone-bad" : "tone-good"}`}>
        {t(`yield.outside.${rate.outsideOfAll}`)}
      </span>
    );
  if (rate.outside !== "within")
    return <span className="nowrap tone-doubtful">{t(`yield.perhaps.${rate.outside}`)}</span>;
  return <span className="nowrap faint">{t("yield.within")}</span>;
}

/** The ends behind a group, a cell or a week; and the group against another one. */
function Behind(props: {
  of: S["YieldAnswer"];
  value: string | null;
  and?: { by: S["YieldBy"]; key: string };
  week: string | null;
  filters: { from: string; crewId?: string };
  onWear?: () => void;
}) {
  const { t } = useTranslation();
  const { of, value, and, week, filters } = props;
  const days = week
    ? { from: week, to: new Date(Date.parse(week) + 6 * 86_400_000).toISOString().slice(0, 10) }
    : { from: filters.from };
  const ends = api.useQuery("get", "/api/yield/ends", {
    params: {
      query: { by: of.by, key: value ?? undefined, and: and?.by, andKey: and?.key, crewId: filters.crewId, ...days },
    },
  });
  const nameOf = (k: string) => nameOfGroup(t, of.by, k, of.groups.find((g) => g.key === k)?.name);
  const name = [
    value && nameOf(value),
    and && nameOfGroup(t, and.by, and.key, of.crossed?.names[and.key]),
    week && t("yield.weekOf", { week: dayText(week) }),
  ]
    .filter(Boolean)
    .join(", ");
  return (
    <section aria-label={t("yield.behind", { name })}>
      <h3>{t("yield.behind", { name })}</h3>
      {props.onWear && (
        <Button className="below noprint" onClick={props.onWear}>
          {t("yield.itsWear")}
        </Button>
      )}
      {value && !and && of.groups.length > 1 && <Against of={of} value={value} filters={filters} nameOf={nameOf} />}
      <Await of={ends}>
        {(list) => (
          <Grid
            rowKey={(e) => `${e.endId}${e.attempt}`}
            rows={list}
            columns={[
              { title: t("yield.end"), render: (e) => <Link to={`/handover/${e.endId}`}>{e.address}</Link> },
              { title: t("yield.ended"), render: (e) => lately(e.endedAt) },
              {
                title: t("yield.outcome"),
                render: (e) => (
                  <span className={e.passed ? "tone-good" : e.outcome === "accepted" ? "tone-doubtful" : "tone-bad"}>
                    {t(e.passed ? "yield.atOnce" : `yield.${e.outcome}`)}
                  </span>
                ),
              },
              { title: t("yield.reason"), render: (e) => (e.reason ? t(`reason.${e.reason}`) : "–") },
            ]}
          />
        )}
      </Await>
    </section>
  );
}

/** One group against another: whether they differ, or how many more it would take to tell. */
function Against(props: {
  of: S["YieldAnswer"];
  value: string;
  filters: { from: string; crewId?: string };
  nameOf: (key: string) => string;
}) {
  const { t } = useTranslation();
  const { of, value, filters, nameOf } = props;
  const [other, setOther] = useState<string>();
  const pair = api.useQuery(
    "get",
    "/api/yield/compare",
    { params: { query: { by: of.by, key: value, other: other ?? "", ...filters } } },
    { enabled: !!other },
  );
  const p = pair.data;
  const args = p &&
    other && {
      one: nameOf(value),
      other: nameOf(other),
      by: (Math.abs(p.difference) * 100).toFixed(1),
      low: (p.low * 100).toFixed(1),
      high: (p.high * 100).toFixed(1),
      count: Number(p.moreEach ?? 0),
    };
  return (
    <p>
      <Select
        className="w-l noprint"
        showSearch
        optionFilterProp="label"
        allowClear
        aria-label={t("yield.against")}
        placeholder={t("yield.against")}
        value={other}
        onChange={setOther}
        options={of.groups
          .filter((g) => g.key !== null && g.key !== value)
          .map((g) => ({ value: g.key as string, label: nameOf(g.key as string) }))}
      />{" "}
      {p &&
        args &&
        (p.enough
          ? t(Number(p.difference) > 0 ? "yield.pair.better" : "yield.pair.worse", args)
          : `${t("yield.pair.notEnough", args)} ${t(p.moreEach === null ? "yield.pair.alike" : "yield.pair.more", args)}`)}
    </p>
  );
}

/** Why connectors went back or were given up, the most frequent first, with what that cost. */
function Reasons({ of }: { of: S["YieldAnswer"] }) {
  const { t } = useTranslation();
  const all = of.reasons.reduce((sum, r) => sum + r.count, 0);
  if (all === 0) return null;
  const cost = of.reasons.reduce((sum, r) => sum + r.cost, 0);
  return (
    <>
      <h3>{t("yield.reasons")}</h3>
      <p>
        {t("yield.reasonsSaid", { count: all, cost: `${Math.round(cost)}${of.currency ? ` ${of.currency}` : ""}` })}
      </p>
      <ul className="list bars">
        {of.reasons.map((r) => (
          <li key={r.reason ?? ""}>
            <span className="bar-name">{r.reason ? t(`reason.${r.reason}`) : t("yield.unsaid")}</span>
            <svg className="bar" viewBox="0 0 100 6" preserveAspectRatio="none" aria-hidden="true">
              <rect className="whole" width={100} height={6} />
              <rect width={(100 * r.count) / all} height={6} />
            </svg>
            <span>
              {r.count}{" "}
              <span className="faint">{`${percent(r.count / all)} · ${Math.round(r.reworkMinutes)} min · ${Math.round(r.cost)}`}</span>
            </span>
          </li>
        ))}
      </ul>
    </>
  );
}

function Naming({ named, onChanged }: { named: boolean; onChanged: () => unknown }) {
  const { t } = useTranslation();
  const fault = useFault();
  const [said, setSaid] = useState<boolean>();
  const say = async (namesPeople: boolean) => {
    setSaid(namesPeople);
    try {
      await answered(http.PUT("/api/yield/settings", { body: { namesPeople } }));
      await onChanged();
    } catch (e) {
      setSaid(undefined);
      fault(e);
    }
  };
  return (
    <p className="noprint">
      <Checkbox checked={said ?? named} onChange={(e) => say(e.target.checked)}>
        {t("yield.naming")}
      </Checkbox>
    </p>
  );
}
