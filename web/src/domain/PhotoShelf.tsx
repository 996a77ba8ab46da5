import { useQueryClient } from "@tanstack/react-query";
import { App } from "antd";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import { v7 as uuid7 } from "uuid";
import { api, NoSignal, stale, upload } from "../api/client";
import { keepFile } from "../offline/outbox";
import { FilePick, photos } from "../ui/FilePick";
import { useFault } from "../ui/Parts";
import { siteTime } from "../ui/settings";

type Of = { panelId: string } | { jobId: string } | { endId: string };

/** Sends a photo of an end, a panel or the site; with no signal it waits on this device and goes by itself. */
export function PhotoTake({ of, first = false }: { of: Of; first?: boolean }) {
  const { t } = useTranslation();
  const { message } = App.useApp();
  const client = useQueryClient();
  const fault = useFault();
  const [busy, setBusy] = useState(false);
  const take = async (file: Blob) => {
    const id = uuid7();
    const [path, waitsFor] =
      "endId" in of
        ? [`/api/ends/${of.endId}/photos?alone=true&id=${id}`, of.endId]
        : "panelId" in of
          ? [`/api/panels/${of.panelId}/pictures?id=${id}`, of.panelId]
          : [`/api/jobs/${of.jobId}/pictures?id=${id}`, of.jobId];
    setBusy(true);
    try {
      await upload(path, file);
      message.success(t("photo.kept"));
      await stale(
        client,
        "/api/panels/{panelId}/evidence",
        "/api/jobs/{jobId}/evidence",
        "/api/ends/{endId}/evidence",
        "/api/jobs/{jobId}/day",
      );
    } catch (e) {
      if (!(e instanceof NoSignal)) fault(e);
      else
        await keepFile(id, path, file, waitsFor)
          .then(() => message.info(t("app.pendingFile"), 6))
          .catch(() => message.error(t("app.notKept"), 8));
    }
    setBusy(false);
  };
  return <FilePick label={t("photo.take")} accept={photos} first={first} busy={busy} onFile={take} />;
}

/** The photos of an end, a panel or the site, newest first, and the button for another. */
export function PhotoShelf({ of, name, timeZone }: { of: Of; name: string; timeZone: string }) {
  const { t } = useTranslation();
  const panelId = "panelId" in of ? of.panelId : "";
  const jobId = "jobId" in of ? of.jobId : "";
  const ofPanel = api.useQuery(
    "get",
    "/api/panels/{panelId}/evidence",
    { params: { path: { panelId } } },
    { enabled: !!panelId },
  );
  const ofJob = api.useQuery(
    "get",
    "/api/jobs/{jobId}/evidence",
    { params: { path: { jobId } } },
    { enabled: !!jobId },
  );
  const endId = "endId" in of ? of.endId : "";
  const ofEnd = api.useQuery(
    "get",
    "/api/ends/{endId}/evidence",
    { params: { path: { endId } } },
    { enabled: !!endId },
  );
  // What a microscope gave of an end stands with what was seen in it.
  const kept = ((panelId ? ofPanel : jobId ? ofJob : ofEnd).data ?? []).filter(
    (e) => e.kind === (endId ? "photo" : "picture"),
  );
  return (
    <div className="shelf">
      <div className="row between">
        <b className="address">{name}</b>
        <PhotoTake of={of} />
      </div>
      <div className="row">
        {kept.map((p) => (
          <a key={p.evidenceId} href={`/api/pictures/${p.evidenceId}`} target="_blank" rel="noreferrer">
            <img
              src={`/api/pictures/${p.evidenceId}`}
              loading="lazy"
              alt={t("photo.of", { name, person: p.madeBy, time: siteTime(p.madeAt, timeZone) })}
            />
          </a>
        ))}
      </div>
    </div>
  );
}
