import { Alert } from "antd";
import { useTranslation } from "react-i18next";
import { useBackup, useReach, useStorage } from "../../api/hooks";
import type { components } from "../../api/schema";
import { Await } from "../../ui/Parts";
import { siteTime } from "../../ui/settings";

const MB = 1024 * 1024;

/** What the office has to know of the server: how a tablet gets onto it, and what room there is. */
export function Server() {
  const { t } = useTranslation();
  const reach = useReach();
  const storage = useStorage();
  const backup = useBackup();
  return (
    <>
      <h1>{t("office.server")}</h1>
      <section className="card">
        <h2>{t("office.tablets")}</h2>
        <Await of={reach}>
          {(r) =>
            r.appAddress === null ? (
              <Alert type="warning" showIcon title={t("office.noHttps")} description={t("office.noHttpsText")} />
            ) : (
              <>
                <p>{t(r.trustAddress ? "office.tabletOwn" : "office.tabletText")}</p>
                <div className="row">
                  {r.trustAddress && r.trustCode && (
                    <Code svg={r.trustCode} address={r.trustAddress} label={t("office.firstTrust")} />
                  )}
                  {r.appCode && <Code svg={r.appCode} address={r.appAddress} label={t("office.thenApp")} />}
                </div>
                {r.authorityPrint && (
                  <p>
                    {t("office.print")}
                    <br />
                    <code className="figures">{r.authorityPrint}</code>
                  </p>
                )}
              </>
            )
          }
        </Await>
      </section>
      <section className="card narrow">
        <h2>{t("office.backup")}</h2>
        <Await of={backup}>{(b) => <LastBackup of={b} />}</Await>
      </section>
      <section className="card narrow">
        <h2>{t("office.storage")}</h2>
        <Await of={storage}>
          {(s) => (
            <>
              <div className="bar" aria-hidden="true">
                <i style={{ width: `${Math.min(100, (100 * s.usedBytes) / s.quotaBytes)}%` }} />
              </div>
              <p>
                {t("office.storageText", {
                  used: (s.usedBytes / MB).toFixed(1),
                  quota: Math.round(s.quotaBytes / MB).toLocaleString(),
                  files: s.files,
                })}
              </p>
              {s.nearlyFull && <Alert type="warning" showIcon title={t("office.nearlyFull")} />}
            </>
          )}
        </Await>
      </section>
    </>
  );
}

/** A code that a tablet's camera reads, with the address beneath for who types. */
function Code({ svg, address, label }: { svg: string; address: string; label: string }) {
  return (
    <figure className="code">
      <img src={`data:image/svg+xml;utf8,${encodeURIComponent(svg)}`} alt={`${label}: ${address}`} />
      <figcaption>
        <b>{label}</b>
        <br />
        {address}
      </figcaption>
    </figure>
  );
}

/** OK only while a night's backup was written and read back; anything else says what is missing. */
function LastBackup({ of }: { of: components["schemas"]["BackupView"] }) {
  const { t } = useTranslation();
  const [at, good] = [of.at ? siteTime(of.at) : "", of.goodAt ? siteTime(of.goodAt) : ""];
  if (!of.at && !of.goodAt)
    return <Alert type="warning" showIcon title={t("office.backupNone")} description={t("office.backupNoneText")} />;
  if (!of.ok)
    return (
      <Alert
        type="error"
        showIcon
        title={t("office.backupFailed")}
        description={`${t(good ? "office.backupTried" : "office.backupTriedNone", { at, good })} ${t("office.backupWhy")}`}
      />
    );
  if (of.late)
    return (
      <Alert
        type="warning"
        showIcon
        title={t("office.backupLate")}
        description={t("office.backupLateText", { good })}
      />
    );
  return <Alert type="success" showIcon title={t("office.backupOk")} description={t("office.backupRead", { at })} />;
}
