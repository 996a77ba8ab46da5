import { useQueryClient } from "@tanstack/react-query";
import { App } from "antd";
import { useEffect, useState } from "react";
import { useTranslation } from "react-i18next";
import { useNavigate } from "react-router";
import { api, http, type S, stale } from "../../api/client";
import { useFault } from "../../ui/Parts";

export type Doc = S["ProcedureDocument"];

/** What each part of the editor is given. */
export type Editing = { doc: Doc; set: (change: Partial<Doc>) => void };

export type Draft = ReturnType<typeof useDraft>;

/** The validator's word on what is on screen, asked again once the typing rests; a check that did not come through is asked again. */
function useCheck(doc: Doc) {
  const [asked, setAsked] = useState(doc);
  useEffect(() => {
    const wait = setTimeout(() => setAsked(doc), 250);
    return () => clearTimeout(wait);
  }, [doc]);
  return api.useQuery(
    "post",
    "/api/calc/procedure",
    { body: { document: asked } },
    { placeholderData: (before: S["ProcedureCheck"] | undefined) => before, retry: 5, gcTime: 0 },
  ).data;
}

/** A company's own procedure while it is written: the document, what the validator says of it, and its keeping. */
export function useDraft(paper: S["ProcedurePaper"]) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const navigate = useNavigate();
  const fault = useFault();
  const { message } = App.useApp();
  const [doc, setDoc] = useState<Doc>(paper.document);
  const [saved, setSaved] = useState(paper.document);
  const check = useCheck(doc) ?? { faults: paper.faults, prep: null, table: null };
  const set = (change: Partial<Doc>) => setDoc((d) => ({ ...d, ...change }));
  const save = async () => {
    try {
      await http.PUT("/api/procedures/{procedureId}/{version}", {
        params: { path: { procedureId: doc.id, version: doc.version } },
        body: { document: doc },
      });
      setSaved(doc);
      message.success(t("methods.saved"));
      await stale(client, "/api/procedures");
      return true;
    } catch (e) {
      fault(e);
      return false;
    }
  };
  const publish = async () => {
    if (!(await save())) return;
    try {
      await http.POST("/api/procedures/{procedureId}/{version}/publish", {
        params: { path: { procedureId: doc.id, version: doc.version } },
      });
      await client.invalidateQueries();
      message.success(t("methods.nowPublished"));
      navigate(`/methods/${doc.id}/${doc.version}`);
    } catch (e) {
      fault(e);
    }
  };
  return { doc, set, check, save, publish, changed: doc !== saved };
}

/** The drawings that an act may have. */
export const drawings = [
  "thread",
  "mark",
  "notch",
  "twist-off",
  "aramid",
  "aramid-back",
  "bite",
  "coating-strip",
  "wipe",
  "flick",
  "bend",
  "load",
  "cap-off",
  "cap-on",
  "holder",
  "cleave",
  "angled-cleave",
  "side-view",
  "insert",
  "bow",
  "lock",
  "release",
  "glow",
  "inject",
  "primer",
  "hold",
  "tug",
  "crimp",
  "scribe",
  "air-polish",
  "eights",
  "end-face",
  "arc",
  "sleeve",
  "routing",
  "heat",
  "close",
  "compare",
  "pair-clip",
] as const satisfies readonly NonNullable<S["Step"]["drawing"]>[];
