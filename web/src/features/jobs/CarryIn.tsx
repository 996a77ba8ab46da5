import { useQueryClient } from "@tanstack/react-query";
import { App } from "antd";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import { useNavigate } from "react-router";
import { type S, stale, upload } from "../../api/client";
import { FilePick } from "../../ui/FilePick";
import { useFault } from "../../ui/Parts";

/** An empty company takes a job over, record and all, from the archive of another company's dossier. */
export function CarryIn() {
  const { t } = useTranslation();
  const { message } = App.useApp();
  const navigate = useNavigate();
  const client = useQueryClient();
  const fault = useFault();
  const [busy, setBusy] = useState(false);
  const bring = async (file: Blob) => {
    setBusy(true);
    try {
      const done = await upload<S["CarriedAnswer"]>("/api/jobs/archive", file);
      message[done.sameDossier ? "success" : "warning"](
        [
          t("carry.done", { ends: done.ends, events: done.events }),
          t(done.sameDossier ? "carry.same" : "carry.otherwise"),
        ].join(" "),
        10,
      );
      await stale(client, "/api/jobs", "/api/jobs/at-hand", "/api/today", "/api/ends");
      void navigate(`/jobs/${done.jobId}`);
    } catch (e) {
      fault(e);
    }
    setBusy(false);
  };
  return (
    <section className="card" aria-label={t("carry.title")}>
      <h2>{t("carry.title")}</h2>
      <p className="faint">{t("carry.text")}</p>
      <FilePick label={t("carry.pick")} accept=".zip" first={false} busy={busy} onFile={bring} />
    </section>
  );
}
