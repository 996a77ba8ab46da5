import { App } from "antd";
import { useTranslation } from "react-i18next";
import { v7 as uuid7 } from "uuid";
import { NoSignal, query, upload } from "../api/client";
import { keepFile } from "../offline/outbox";
import { useFault } from "../ui/Parts";

/**
 * Sends a picture or trace of an end under an id of this device. With no signal it is kept here, pending until it can go:
 * the answer is then null, and `onPending` is told its id. A file that rests on another waits where that one waits.
 */
export function useUpload(endId: string) {
  const { message } = App.useApp();
  const { t } = useTranslation();
  const fault = useFault();
  return async <T>(
    what: "pictures" | "photos" | "red-light" | "cleaves" | "traces",
    asked: Record<string, string | number | undefined | null>,
    file: Blob,
    onPending?: (id: string) => void,
  ): Promise<T | null> => {
    const id = uuid7();
    const path = `/api/ends/${endId}/${what}${query({ ...asked, id })}`;
    try {
      return await upload<T>(path, file);
    } catch (e) {
      if (!(e instanceof NoSignal)) {
        fault(e);
        return null;
      }
    }
    try {
      await keepFile(id, path, file, endId);
      message.info(t("app.pendingFile"), 6);
      onPending?.(id);
    } catch {
      message.error(t("app.notKept"), 8);
    }
    return null;
  };
}
