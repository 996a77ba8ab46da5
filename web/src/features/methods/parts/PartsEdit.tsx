import { Button } from "antd";
import { useTranslation } from "react-i18next";
import { Drop, swap } from "../../../ui/rows";
import { Flag, Text } from "../fields";
import { fresh, Move } from "../rows";
import type { Editing } from "../useDraft";
import { OnlyWhen } from "./OnlyWhen";

/** Parts in the order of threading, and tools. */
export function PartsEdit({ doc, set }: Editing) {
  const { t } = useTranslation();
  return (
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
            room="l"
            onChange={(note) => set({ parts: swap(doc.parts, i, { ...p, note: note || null }) })}
          />
          <Text
            label={t("methods.first")}
            at={`parts[${p.id}].first`}
            value={p.first ?? ""}
            room="m"
            onChange={(first) => set({ parts: swap(doc.parts, i, { ...p, first: first || null }) })}
          />
          {(["threaded", "on", "cap", "crimped"] as const).map((what) => (
            <Flag
              key={what}
              label={t(`methods.is.${what}`)}
              value={p[what] ?? false}
              onChange={(v) => set({ parts: swap(doc.parts, i, { ...p, [what]: v }) })}
            />
          ))}
          <OnlyWhen
            doc={doc}
            at={`parts[${p.id}].when`}
            value={p.when}
            onChange={(when) => set({ parts: swap(doc.parts, i, { ...p, when }) })}
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
                on: false,
                cap: false,
                crimped: false,
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
          <OnlyWhen
            doc={doc}
            at={`tools[${x.id}].when`}
            value={x.when}
            onChange={(when) => set({ tools: swap(doc.tools, i, { ...x, when }) })}
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
  );
}
