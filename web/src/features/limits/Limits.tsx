import { useQueryClient } from "@tanstack/react-query";
import { App, Button, Select, Tag } from "antd";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import { useSearchParams } from "react-router";
import { ApiError, answered, http, type S, stale } from "../../api/client";
import { useLimits, useSession } from "../../api/hooks";
import { Await, Grid, useFault } from "../../ui/Parts";
import { Word } from "./Fields";
import { FaceLimits, LightLimits, LossLimits } from "./Figures";

type Kind = S["LimitKind"];
export type LimitSet = { id: string; title: string; edition: string; source: string };
type Draft = { kind: Kind; set: LimitSet };

/** Every limit that a verdict rests on, with its edition and source; the company's own beside the standards'. */
export default function Limits() {
  const { t } = useTranslation();
  const limits = useLimits();
  const [asked, ask] = useSearchParams();
  const [draft, setDraft] = useState<Draft | null>(null);
  const office = useSession().data?.person?.role === "office";
  return (
    <>
      <h1>{t("limits.title")}</h1>
      <p className="faint">{t("limits.note")}</p>
      <Await of={limits}>
        {(all) => {
          if (draft) return <Editing draft={draft} onDraft={setDraft} onSaved={(set) => ask({ set })} />;
          const sets = [
            ...all.endFace.map((set) => ({ kind: "end-face" as Kind, set: set as LimitSet })),
            ...all.loss.map((set) => ({ kind: "loss" as Kind, set: set as LimitSet })),
            ...all.light.map((set) => ({ kind: "light" as Kind, set: set as LimitSet })),
          ];
          const own = (id: string) => all.own.find((o) => o.id === id);
          const shown = sets.find((s) => s.set.id === asked.get("set")) ?? sets[0];
          if (!shown) return null;
          return (
            <>
              <div className="card row">
                <Select
                  aria-label={t("limits.choose")}
                  className="w-xxl"
                  value={shown.set.id}
                  onChange={(set) => ask({ set })}
                  options={(["end-face", "loss", "light"] as const).map((kind) => ({
                    label: t(`limits.${kind}`),
                    options: sets
                      .filter((s) => s.kind === kind)
                      .map(({ set }) => ({
                        value: set.id,
                        label: own(set.id) ? `${set.title} · ${t("limits.own")}` : set.title,
                      })),
                  }))}
                />
                {office && (
                  <Button
                    onClick={() =>
                      setDraft(
                        anotherOf(
                          shown,
                          own(shown.set.id) !== undefined,
                          sets.map((s) => s.set.id),
                        ),
                      )
                    }
                  >
                    {t(own(shown.set.id) ? "limits.anotherVersion" : "limits.makeOwn")}
                  </Button>
                )}
              </div>
              <p>
                <b>{shown.set.edition}</b> · <span className="faint">{shown.set.source}</span>{" "}
                {own(shown.set.id) && <Tag>{t("limits.own")}</Tag>}
              </p>
              <Looser of={own(shown.set.id)} />
              <Figures draft={shown} />
              {shown.kind === "loss" && <Applications sets={all.applications} />}
            </>
          );
        }}
      </Await>
    </>
  );
}

/** The same figures under an id of their own, to be changed. */
function anotherOf({ kind, set }: Draft, own: boolean, taken: string[]): Draft {
  const base = own ? set.id.replace(/-\d+$/, "") : `house-${set.id}`;
  let id = own ? `${base}-2` : base;
  for (let n = 2; taken.includes(id); n++) id = `${base}-${n}`;
  const copy = structuredClone(set);
  return { kind, set: own ? { ...copy, id } : { ...copy, id, title: `${set.title}, house`, edition: "1", source: "" } };
}

function Figures(props: { draft: Draft; onChange?: (set: LimitSet) => void }) {
  const { kind, set } = props.draft;
  return kind === "loss" ? (
    <LossLimits set={set as S["LossLimitSet"]} onChange={props.onChange} />
  ) : kind === "light" ? (
    <LightLimits set={set as S["LightLimitSet"]} onChange={props.onChange} />
  ) : (
    <FaceLimits set={set as S["EndFaceLimitSet"]} onChange={props.onChange} />
  );
}

function Looser({ of }: { of: S["OwnLimits"] | undefined }) {
  const { t } = useTranslation();
  if (!of || of.looser.length === 0) return null;
  return (
    <details className="card" open={of.looser.length < 6}>
      <summary className="tone-doubtful">{t("limits.looser", { count: of.looser.length })}</summary>
      <Grid
        rowKey={(l) => l.what}
        rows={of.looser}
        columns={[
          { title: t("limits.what"), render: (l) => l.what },
          { title: t("limits.ownFigure"), right: true, render: (l) => l.own },
          { title: t("limits.standardFigure"), right: true, render: (l) => l.standard },
        ]}
      />
    </details>
  );
}

function Applications({ sets }: { sets: S["ApplicationSet"][] }) {
  const { t } = useTranslation();
  return sets.map((s) => (
    <details key={s.edition} className="card">
      <summary>
        {t("measure.applications")} · {s.edition}
      </summary>
      <p className="faint">{s.source}</p>
      <Grid
        rowKey={(a) => `${a.name}${a.fiberClass}`}
        rows={s.applications}
        columns={[
          { title: t("limits.application"), render: (a) => a.name },
          { title: t("limits.fiberClass"), render: (a) => a.fiberClass },
          { title: "nm", right: true, render: (a) => a.wavelengthNm },
          { title: t("limits.channelM"), right: true, render: (a) => a.maxLengthM },
          { title: t("limits.channelDb"), right: true, render: (a) => a.maxLossDb },
        ]}
      />
    </details>
  ));
}

function Editing(props: { draft: Draft; onDraft: (d: Draft | null) => void; onSaved: (id: string) => void }) {
  const { t } = useTranslation();
  const { message } = App.useApp();
  const fault = useFault();
  const client = useQueryClient();
  const [refused, setRefused] = useState<S["Refusal"][]>([]);
  const { kind, set } = props.draft;
  const change = (next: Partial<LimitSet>) => props.onDraft({ kind, set: { ...set, ...next } });
  const save = async () => {
    try {
      // JSON is YAML, too.
      const body = { kind, yaml: JSON.stringify(set) };
      const { id } = await answered(http.POST("/api/limits/own", { body }));
      await stale(client, "/api/limits");
      message.success(t("limits.saved"));
      props.onDraft(null);
      props.onSaved(id);
    } catch (e) {
      if (e instanceof ApiError && e.problem.refusals.length > 0) setRefused(e.problem.refusals);
      else fault(e);
    }
  };
  const of = (field: string) => refused.find((r) => r.field === field)?.message;
  return (
    <>
      <section className="card">
        <div className="row">
          <Word label={t("limits.id")} value={set.id} error={of("id")} onChange={(id) => change({ id })} />
          <Word
            label={t("limits.name")}
            value={set.title}
            error={of("title")}
            onChange={(title) => change({ title })}
          />
          <Word
            label={t("limits.edition")}
            value={set.edition}
            error={of("edition")}
            onChange={(edition) => change({ edition })}
          />
          <Word
            label={t("limits.source")}
            value={set.source}
            error={of("source")}
            onChange={(source) => change({ source })}
          />
        </div>
        <p className="faint">{t("limits.versions")}</p>
        {refused.length > 0 && (
          <ul role="alert" className="tone-bad">
            {refused.map((r) => (
              <li key={r.field + r.message}>
                {r.field}: {r.message}
              </li>
            ))}
          </ul>
        )}
        <div className="row">
          <Button type="primary" size="large" onClick={save}>
            {t("limits.save")}
          </Button>
          <Button size="large" onClick={() => props.onDraft(null)}>
            {t("app.cancel")}
          </Button>
        </div>
      </section>
      <Figures draft={props.draft} onChange={(s) => props.onDraft({ kind, set: s })} />
    </>
  );
}
