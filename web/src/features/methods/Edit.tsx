import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Alert, App, Button } from "antd";
import { useEffect, useMemo, useState } from "react";
import { useTranslation } from "react-i18next";
import { useNavigate, useParams } from "react-router";
import { get, post, put, type S } from "../../api/client";
import { usePaper } from "../../api/hooks";
import { phases } from "../../domain/Loom";
import { PrepDrawing } from "../../domain/PrepDrawing";
import { Await, choices, useChoices, useFault } from "../../ui/Parts";
import { BlockFaults, Choose, Complaints, Many, Num, Text, within } from "./fields";
import { LadderEdit } from "./LadderEdit";
import { StateMap } from "./StateMap";
import { StepEdit } from "./StepEdit";

export type Doc = S["ProcedureDocument"];

/** A company's own procedure, edited with the prep card, the map and the validator's complaints beside it. */
export default function Edit() {
  const { procedureId, version } = useParams();
  const paper = usePaper(procedureId, Number(version));
  const { t } = useTranslation();
  return (
    <Await of={paper}>
      {(p) =>
        p.draft ? <Editor key={`${p.document.id}${p.document.version}`} paper={p} /> : <p>{t("methods.published")}</p>
      }
    </Await>
  );
}

/** The validator's word on what is on screen, asked again once the typing rests; a check that did not come through is asked again. */
function useCheck(doc: Doc) {
  const [asked, setAsked] = useState(doc);
  useEffect(() => {
    const wait = setTimeout(() => setAsked(doc), 250);
    return () => clearTimeout(wait);
  }, [doc]);
  return useQuery({
    queryKey: ["calc", "procedure", asked],
    queryFn: () => post<S["ProcedureCheck"]>("/api/calc/procedure", { document: asked }),
    placeholderData: (before) => before,
    retry: 5,
    gcTime: 0,
  }).data;
}

function Editor({ paper }: { paper: S["ProcedurePaper"] }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const navigate = useNavigate();
  const fault = useFault();
  const named = useChoices();
  const options = {
    raw: (name: keyof typeof choices) => named(["form", "construction"].includes(name) ? name : "", choices[name]),
  };
  const { message } = App.useApp();
  const [doc, setDoc] = useState<Doc>(paper.document);
  const [saved, setSaved] = useState(paper.document);
  const [open, setOpen] = useState<string | null>(null);
  const check = useCheck(doc) ?? { faults: paper.faults, prep: null, table: null };
  const set = (change: Partial<Doc>) => setDoc((d) => ({ ...d, ...change }));
  const save = async () => {
    try {
      await put(`/api/procedures/${doc.id}/${doc.version}`, { document: doc });
      setSaved(doc);
      message.success(t("methods.saved"));
      await client.invalidateQueries({ queryKey: ["procedures"] });
      return true;
    } catch (e) {
      fault(e);
      return false;
    }
  };
  const publish = async () => {
    if (!(await save())) return;
    try {
      await post(`/api/procedures/${doc.id}/${doc.version}/publish`);
      await client.invalidateQueries();
      message.success(t("methods.nowPublished"));
      navigate(`/methods/${doc.id}/${doc.version}`);
    } catch (e) {
      fault(e);
    }
  };
  const faulty = useMemo(
    () => new Set(doc.steps.filter((s) => within(check.faults, `steps[${s.id}]`).length > 0).map((s) => s.id)),
    [doc.steps, check.faults],
  );
  const prep = doc.prep;
  const setPrep = (change: Partial<Doc["prep"]>) => set({ prep: { ...prep, ...change } });
  const points = [
    { value: "cable-end", label: t("methods.cableEnd") },
    ...prep.points.map((p) => ({ value: p.id, label: p.name })),
  ];
  const layers = ["jacket", "aramid", "tube", "buffer", "coating", "glass"].map((l) => ({
    value: l,
    label: t(`methods.layer.${l}`),
  }));
  const addStep = (after: number) => {
    const id = fresh(
      "step",
      doc.steps.map((s) => s.id),
    );
    const step: S["Step"] = {
      id,
      phase: doc.steps[after]?.phase ?? "thread",
      act: t("methods.newStep"),
      mandatory: true,
      batch: false,
      shards: 0,
      cleaves: 0,
      arcs: 0,
    };
    set({ steps: [...doc.steps.slice(0, after + 1), step, ...doc.steps.slice(after + 1)] });
    setOpen(id);
  };
  return (
    <Complaints value={check.faults}>
      <div className="row">
        <h1>{doc.title}</h1>
        <span className="faint">{t("methods.draftOf", { v: doc.version })}</span>
        <span className="grow" />
        <Button onClick={save} type={doc === saved ? "default" : "primary"}>
          {t("methods.save")}
        </Button>
        <Button onClick={publish} disabled={check.faults.length > 0}>
          {t("methods.publish")}
        </Button>
        <Button onClick={() => download(doc.id, doc.version)}>{t("methods.export")}</Button>
      </div>
      <div className="editor">
        <div>
          <section className="card">
            <div className="row">
              <Text
                label={t("methods.name")}
                at="title"
                value={doc.title}
                onChange={(title) => set({ title })}
                width={420}
              />
              <Text
                label={t("methods.source")}
                at="source"
                value={doc.source}
                onChange={(source) => set({ source })}
                width={420}
              />
              <Num
                label={t("methods.together")}
                at="together"
                value={doc.together ?? 1}
                onChange={(n) => set({ together: n ?? 1 })}
              />
              <Many
                label={t("plan.form")}
                at="fits.forms"
                value={doc.fits.forms}
                options={options.raw("form")}
                onChange={(v) => set({ fits: { ...doc.fits, forms: v as Doc["fits"]["forms"] } })}
              />
              <Many
                label={t("plan.polish")}
                at="fits.polishes"
                value={doc.fits.polishes}
                options={options.raw("polish")}
                onChange={(v) => set({ fits: { ...doc.fits, polishes: v as Doc["fits"]["polishes"] } })}
              />
              <Many
                label={t("plan.construction")}
                at="fits.constructions"
                value={doc.fits.constructions}
                options={options.raw("construction")}
                onChange={(v) => set({ fits: { ...doc.fits, constructions: v as Doc["fits"]["constructions"] } })}
              />
              <Many
                label={t("plan.fiberClass")}
                at="fits.classes"
                value={doc.fits.classes}
                options={options.raw("fiberClass")}
                onChange={(v) => set({ fits: { ...doc.fits, classes: v as Doc["fits"]["classes"] } })}
              />
            </div>
          </section>
          <section className="card">
            <h2>{t("methods.marks")}</h2>
            {prep.points.map((p, i) => (
              <div className="row line" key={p.id}>
                <Text
                  label={t("methods.mark")}
                  at={`prep.points.${p.id}`}
                  value={p.name}
                  width={220}
                  onChange={(name) => setPrep({ points: swap(prep.points, i, { ...p, name }) })}
                />
                <Choose
                  label={t("methods.edgeOf")}
                  at=""
                  value={p.layer}
                  options={layers}
                  onChange={(v) => setPrep({ points: swap(prep.points, i, { ...p, layer: v as S["Layer"] }) })}
                />
                <Drop what={p.name} onDrop={() => setPrep({ points: prep.points.filter((_, n) => n !== i) })} />
              </div>
            ))}
            {prep.spans.map((s, i) => (
              <div className="row line" key={s.id}>
                <Choose
                  label={t("methods.from")}
                  at={`prep.spans.${s.id}`}
                  value={s.from}
                  options={points}
                  onChange={(v) => setPrep({ spans: swap(prep.spans, i, { ...s, from: v ?? "" }) })}
                />
                <Choose
                  label={t("methods.to")}
                  at=""
                  value={s.to}
                  options={points}
                  onChange={(v) => setPrep({ spans: swap(prep.spans, i, { ...s, to: v ?? "" }) })}
                />
                <Num
                  label={`${t("methods.length")} (mm)`}
                  at={`prep.spans.${s.id}.lengthMm`}
                  value={s.lengthMm}
                  onChange={(n) => setPrep({ spans: swap(prep.spans, i, { ...s, lengthMm: n ?? 0 }) })}
                />
                <Drop what={s.id} onDrop={() => setPrep({ spans: prep.spans.filter((_, n) => n !== i) })} />
              </div>
            ))}
            <div className="row">
              <Button
                onClick={() =>
                  setPrep({
                    points: [
                      ...prep.points,
                      {
                        id: fresh(
                          "mark",
                          prep.points.map((p) => p.id),
                        ),
                        name: t("methods.mark"),
                        layer: "buffer",
                      },
                    ],
                  })
                }
              >
                {t("methods.addMark")}
              </Button>
              <Button
                onClick={() =>
                  setPrep({
                    spans: [
                      ...prep.spans,
                      {
                        id: fresh(
                          "span",
                          prep.spans.map((p) => p.id),
                        ),
                        from: "cable-end",
                        to: prep.points.at(-1)?.id ?? "cable-end",
                        lengthMm: 10,
                      },
                    ],
                  })
                }
              >
                {t("methods.addSpan")}
              </Button>
              {prep.cleave ? (
                <>
                  <Choose
                    label={t("methods.cleaveFrom")}
                    at="prep.cleave.from"
                    value={prep.cleave.from}
                    options={points}
                    onChange={(v) => prep.cleave && setPrep({ cleave: { ...prep.cleave, from: v ?? "" } })}
                  />
                  <Num
                    label={`${t("methods.cleaveLength")} (mm)`}
                    at="prep.cleave.lengthMm"
                    value={prep.cleave.lengthMm}
                    onChange={(n) => prep.cleave && setPrep({ cleave: { ...prep.cleave, lengthMm: n ?? 0 } })}
                  />
                  <Num
                    label="± (mm)"
                    at="prep.cleave.toleranceMm"
                    value={prep.cleave.toleranceMm}
                    onChange={(n) => prep.cleave && setPrep({ cleave: { ...prep.cleave, toleranceMm: n ?? 0 } })}
                  />
                  <Drop what={t("methods.cleaveFrom")} onDrop={() => setPrep({ cleave: null })} />
                </>
              ) : (
                <Button
                  onClick={() =>
                    setPrep({ cleave: { from: prep.points.at(-1)?.id ?? "cable-end", lengthMm: 10, toleranceMm: 0.5 } })
                  }
                >
                  {t("methods.addCleave")}
                </Button>
              )}
              <Num
                label={`${t("methods.cutBehind")} (mm)`}
                at="prep.cutBehindJacketMm"
                value={prep.cutBehindJacketMm}
                onChange={(n) => setPrep({ cutBehindJacketMm: n ?? 0 })}
              />
              <Num
                label={`${t("prep.clamp")} (mm)`}
                at="prep.clampFromEndMm"
                value={prep.clampFromEndMm}
                onChange={(n) => setPrep({ clampFromEndMm: n })}
              />
            </div>
          </section>
          <section className="card">
            <h2>{t("methods.partsAndTools")}</h2>
            {doc.parts.map((p, i) => (
              <div className="row line" key={p.id}>
                <Text
                  label={t("methods.part", { no: i + 1 })}
                  at={`parts[${p.id}]`}
                  value={p.name}
                  onChange={(name) => set({ parts: swap(doc.parts, i, { ...p, name }) })}
                />
                <Text
                  label={t("methods.note")}
                  at={`parts[${p.id}].note`}
                  value={p.note ?? ""}
                  width={220}
                  onChange={(note) => set({ parts: swap(doc.parts, i, { ...p, note: note || null }) })}
                />
                <Move list={doc.parts} i={i} onMove={(parts) => set({ parts })} what={p.name} />
                <Drop what={p.name} onDrop={() => set({ parts: doc.parts.filter((_, n) => n !== i) })} />
              </div>
            ))}
            <Button
              onClick={() =>
                set({
                  parts: [
                    ...doc.parts,
                    {
                      id: fresh(
                        "part",
                        doc.parts.map((p) => p.id),
                      ),
                      name: t("methods.newPart"),
                      threaded: true,
                    },
                  ],
                })
              }
            >
              {t("methods.addPart")}
            </Button>
            {doc.tools.map((x, i) => (
              <div className="row line" key={x.id}>
                <Text
                  label={t("methods.tool")}
                  at={`tools[${x.id}]`}
                  value={x.name}
                  onChange={(name) => set({ tools: swap(doc.tools, i, { ...x, name }) })}
                />
                <Text
                  label={t("methods.setting")}
                  at={`tools[${x.id}].setting`}
                  value={x.setting ?? ""}
                  onChange={(setting) => set({ tools: swap(doc.tools, i, { ...x, setting: setting || null }) })}
                />
                <Drop what={x.name} onDrop={() => set({ tools: doc.tools.filter((_, n) => n !== i) })} />
              </div>
            ))}
            <Button
              onClick={() =>
                set({
                  tools: [
                    ...doc.tools,
                    {
                      id: fresh(
                        "tool",
                        doc.tools.map((p) => p.id),
                      ),
                      name: t("methods.newTool"),
                    },
                  ],
                })
              }
            >
              {t("methods.addTool")}
            </Button>
          </section>
          <section className="card">
            <h2>{t("bench.preflight")}</h2>
            {(doc.preflight ?? []).map((p, i) => (
              <div className="row line" key={p.id}>
                <Text
                  label={t("methods.item")}
                  at={`preflight[${p.id}].text`}
                  value={p.text}
                  onChange={(text) => set({ preflight: swap(doc.preflight ?? [], i, { ...p, text }) })}
                />
                <Text
                  label={t("methods.why")}
                  at={`preflight[${p.id}].why`}
                  value={p.why}
                  onChange={(why) => set({ preflight: swap(doc.preflight ?? [], i, { ...p, why }) })}
                />
                <Many
                  label={t("methods.guards")}
                  at={`preflight[${p.id}].guards`}
                  value={p.guards}
                  options={doc.steps.map((s) => ({ value: s.id, label: s.act }))}
                  onChange={(guards) => set({ preflight: swap(doc.preflight ?? [], i, { ...p, guards }) })}
                />
                <Drop
                  what={p.text}
                  onDrop={() => set({ preflight: (doc.preflight ?? []).filter((_, n) => n !== i) })}
                />
              </div>
            ))}
            <Button
              onClick={() =>
                set({
                  preflight: [
                    ...(doc.preflight ?? []),
                    {
                      id: fresh(
                        "item",
                        (doc.preflight ?? []).map((p) => p.id),
                      ),
                      text: t("methods.newItem"),
                      why: t("methods.why"),
                      guards: doc.steps[0] ? [doc.steps[0].id] : [],
                    },
                  ],
                })
              }
            >
              {t("methods.addItem")}
            </Button>
          </section>
          <section className="card">
            <h2>{t("methods.steps")}</h2>
            <BlockFaults at="steps" />
            {doc.steps.map((s, i) => (
              <StepEdit
                key={s.id}
                doc={doc}
                step={s}
                no={i + 1}
                open={open === s.id}
                phases={phases.map((p) => ({ value: p, label: t(`phase.${p}`) }))}
                onOpen={() => setOpen(open === s.id ? null : s.id)}
                onChange={(step) => set({ steps: swap(doc.steps, i, step) })}
                onDrop={() => set({ steps: doc.steps.filter((_, n) => n !== i) })}
                onAdd={() => addStep(i)}
                move={<Move list={doc.steps} i={i} onMove={(steps) => set({ steps })} what={s.act} />}
              />
            ))}
            {doc.steps.length === 0 && <Button onClick={() => addStep(-1)}>{t("methods.addStep")}</Button>}
          </section>
          <section className="card">
            <h2>{t("methods.ladder")}</h2>
            {doc.ladders.map((l, i) => (
              <LadderEdit
                key={l.id}
                doc={doc}
                ladder={l}
                onChange={(ladder) => set({ ladders: swap(doc.ladders, i, ladder) })}
                onDrop={() => set({ ladders: doc.ladders.filter((_, n) => n !== i) })}
              />
            ))}
            <Button
              onClick={() => {
                const id = fresh(
                  "ladder",
                  doc.ladders.map((l) => l.id),
                );
                set({
                  ladders: [
                    ...doc.ladders,
                    {
                      id,
                      title: t("methods.newLadder"),
                      rungs: [{ id: "end", act: t("methods.newAttempt"), minutes: 5, tries: 1, newAttempt: true }],
                    },
                  ],
                });
              }}
            >
              {t("methods.addLadder")}
            </Button>
          </section>
        </div>
        <aside className="beside" aria-label={t("methods.beside")}>
          {check.faults.length > 0 ? (
            <Alert
              type="error"
              showIcon
              title={t("methods.faults", { count: check.faults.length })}
              description={
                <ul className="faults">
                  {check.faults.map((f) => (
                    <li key={f.field + f.code + f.message}>
                      <button
                        type="button"
                        className="link"
                        onClick={() => setOpen(/steps\[([^\]]+)\]/.exec(f.field)?.[1] ?? open)}
                      >
                        {f.field}
                      </button>{" "}
                      {f.message}
                    </li>
                  ))}
                </ul>
              }
            />
          ) : (
            <p className="tone-good whole">{t("methods.whole")}</p>
          )}
          <section className="card scroll">
            <h2>{t("prep.title")}</h2>
            {check.prep ? <PrepDrawing prep={check.prep} fit /> : <p className="faint">{t("methods.noPrep")}</p>}
          </section>
          <section className="card">
            <h2>{t("methods.map")}</h2>
            <StateMap document={doc} faulty={faulty} />
            <p className="faint">{t("methods.mapText")}</p>
          </section>
        </aside>
      </div>
    </Complaints>
  );
}

export const swap = <T,>(list: T[], i: number, item: T) => list.map((x, n) => (n === i ? item : x));

/** An id that is not taken yet. */
export function fresh(stem: string, taken: string[]) {
  let n = 1;
  while (taken.includes(`${stem}-${n}`)) n++;
  return `${stem}-${n}`;
}

export function Drop({ what, onDrop }: { what: string; onDrop: () => void }) {
  const { t } = useTranslation();
  return (
    <Button size="small" aria-label={`${t("app.remove")} ${what}`} onClick={onDrop}>
      {t("app.remove")}
    </Button>
  );
}

function Move<T>({ list, i, onMove, what }: { list: T[]; i: number; onMove: (list: T[]) => void; what: string }) {
  const { t } = useTranslation();
  const to = (n: number) => {
    const next = list.filter((_, x) => x !== i);
    next.splice(n, 0, list[i] as T);
    onMove(next);
  };
  return (
    <>
      <Button size="small" disabled={i === 0} aria-label={t("methods.up", { what })} onClick={() => to(i - 1)}>
        ↑
      </Button>
      <Button
        size="small"
        disabled={i === list.length - 1}
        aria-label={t("methods.down", { what })}
        onClick={() => to(i + 1)}
      >
        ↓
      </Button>
    </>
  );
}

/** Hands a procedure out as a YAML file. */
export async function download(id: string, version: number) {
  const { yaml } = await get<S["ProcedureYaml"]>(`/api/procedures/${id}/${version}/yaml`);
  const link = document.createElement("a");
  link.href = URL.createObjectURL(new Blob([yaml], { type: "application/yaml" }));
  link.download = `${id}-v${version}.yaml`;
  link.click();
  URL.revokeObjectURL(link.href);
}
