import { Button } from "antd";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import { useParams } from "react-router";
import type { S } from "../../api/client";
import { usePaper } from "../../api/hooks";
import { Await } from "../../ui/Parts";
import { download } from "./download";
import { Complaints } from "./fields";
import { Beside } from "./parts/Beside";
import { HeadEdit } from "./parts/HeadEdit";
import { LaddersEdit } from "./parts/LaddersEdit";
import { PartsEdit } from "./parts/PartsEdit";
import { PreflightEdit } from "./parts/PreflightEdit";
import { PrepEdit } from "./parts/PrepEdit";
import { StepsEdit } from "./parts/StepsEdit";
import { useDraft } from "./useDraft";

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

function Editor({ paper }: { paper: S["ProcedurePaper"] }) {
  const { t } = useTranslation();
  const draft = useDraft(paper);
  const { doc, set, check } = draft;
  const [open, setOpen] = useState<string | null>(null);
  return (
    <Complaints value={check.faults}>
      <div className="row">
        <h1>{doc.title}</h1>
        <span className="faint">{t("methods.draftOf", { v: doc.version })}</span>
        <span className="grow" />
        <Button onClick={draft.save} type={draft.changed ? "primary" : "default"}>
          {t("methods.save")}
        </Button>
        <Button onClick={draft.publish} disabled={check.faults.length > 0}>
          {t("methods.publish")}
        </Button>
        <Button onClick={() => download(doc.id, doc.version)}>{t("methods.export")}</Button>
      </div>
      <div className="editor">
        <div>
          <HeadEdit doc={doc} set={set} />
          <PrepEdit doc={doc} set={set} />
          <PartsEdit doc={doc} set={set} />
          <PreflightEdit doc={doc} set={set} />
          <StepsEdit doc={doc} set={set} open={open} setOpen={setOpen} />
          <LaddersEdit doc={doc} set={set} />
        </div>
        <Beside draft={draft} onStep={setOpen} />
      </div>
    </Complaints>
  );
}
