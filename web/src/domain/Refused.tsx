import { useQueryClient } from "@tanstack/react-query";
import { App, Button } from "antd";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import { answered, http, type S } from "../api/client";
import { useQuarantined } from "../api/hooks";
import { useFault } from "../ui/Parts";

/** What the rules refused of one sender for one cause: taken in again once that is settled, or set aside; kept either way. */
export function Refused({ cause, onDecided }: { cause: S["QuarantineCause"]; onDecided: () => void }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const fault = useFault();
  const { message } = App.useApp();
  const body = { code: cause.code, field: cause.field, senderId: cause.senderId };
  const act = async (what: () => Promise<void>) => {
    try {
      await what();
    } catch (e) {
      fault(e);
    }
    await client.invalidateQueries();
  };
  const retry = () =>
    act(async () => {
      const r = await answered(http.POST("/api/quarantine/causes/retry", { body }));
      if (r.taken > 0) message.success(t("rework.taken", { count: r.taken }));
      if (r.still > 0) message.warning(t("rework.still", { count: r.still, reason: r.refusal?.message }));
      else onDecided();
    });
  const setAside = () =>
    act(async () => {
      await answered(http.POST("/api/quarantine/causes/set-aside", { body }));
      onDecided();
    });
  return (
    <div>
      <p className="faint">{t("rework.quarantineText")}</p>
      <div className="row">
        <Button onClick={retry}>{t("rework.takeIn", { count: cause.events })}</Button>
        <Button onClick={setAside}>{t("rework.setAside", { count: cause.events })}</Button>
      </div>
      <AsItCame id={cause.newestId} />
    </div>
  );
}

/** The newest of them, all of it, asked for when somebody opens it. */
function AsItCame({ id }: { id: string }) {
  const { t } = useTranslation();
  const [open, setOpen] = useState(false);
  const whole = useQuarantined(id, open);
  return (
    <details onToggle={(e) => setOpen(e.currentTarget.open)}>
      <summary>{t("rework.asItCame")}</summary>
      <pre className="scroll">{whole.data?.raw}</pre>
    </details>
  );
}
