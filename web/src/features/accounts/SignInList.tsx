import { Button } from "antd";
import { useTranslation } from "react-i18next";
import type { S } from "../../api/client";
import { Grid } from "../../ui/Parts";
import { siteTime } from "../../ui/settings";

/** Sign-ins with device, address and times; each can be ended where that is offered. */
export function SignInList({ list, onEnd }: { list: S["SignInView"][]; onEnd?: (signInId: string) => void }) {
  const { t } = useTranslation();
  return (
    <Grid
      rowKey={(s) => s.signInId}
      rows={list}
      empty={t("account.nowhere")}
      columns={[
        { title: t("account.device"), render: (s) => (s.here ? `${s.device} · ${t("account.here")}` : s.device) },
        ...(onEnd
          ? [
              {
                title: t("account.end"),
                render: (s: S["SignInView"]) =>
                  !s.here && (
                    <Button
                      aria-label={`${t("account.end")}: ${s.device}, ${siteTime(s.madeAt)}`}
                      onClick={() => onEnd(s.signInId)}
                    >
                      {t("account.end")}
                    </Button>
                  ),
              },
            ]
          : []),
        { title: t("account.address"), render: (s) => s.address },
        { title: t("account.madeAt"), render: (s) => siteTime(s.madeAt) },
        { title: t("account.seenAt"), render: (s) => siteTime(s.seenAt) },
      ]}
    />
  );
}
