import { Button, Select } from "antd";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import type { S } from "../../api/client";
import { useAuditPages, usePeoplePages } from "../../api/hooks";
import en from "../../i18n/en.json";
import { Await, Grid } from "../../ui/Parts";
import { roomy } from "../../ui/room";
import { siteTime } from "../../ui/settings";

const operations = Object.keys(en.audit.did) as (keyof typeof en.audit.did)[];

/** The office reads who did what, and what was refused to whom. */
export default function Audit() {
  const { t } = useTranslation();
  const [personId, setPersonId] = useState<string>();
  const [what, setWhat] = useState<string>();
  const [refused, setRefused] = useState<boolean>();
  const people = usePeoplePages({ disabled: true });
  const audit = useAuditPages({ personId, what, refused });
  const did = (w: string) => t([`audit.did.${w}`, w]);
  const about = (e: S["AuditEntry"]) =>
    [e.aboutPerson, e.aboutJob, e.about.procedureId && `${e.about.procedureId} ${e.about.version ?? ""}`, e.about.kind]
      .filter(Boolean)
      .join(" · ");
  return (
    <>
      <h1>{t("audit.title")}</h1>
      <p className="faint">{t("audit.text")}</p>
      <section className="card">
        <div className="row middle below">
          <Select
            aria-label={t("audit.person")}
            allowClear
            showSearch
            optionFilterProp="label"
            className={roomy("l")}
            placeholder={t("audit.anybody")}
            value={personId}
            onChange={setPersonId}
            options={(people.data?.pages.flat() ?? []).map((p) => ({ value: p.personId, label: p.name }))}
          />
          <Select
            aria-label={t("audit.what")}
            allowClear
            showSearch
            optionFilterProp="label"
            className={roomy("l")}
            placeholder={t("audit.anything")}
            value={what}
            onChange={setWhat}
            options={operations.map((o) => ({ value: o, label: did(o) }))}
          />
          <Select
            aria-label={t("audit.outcome")}
            allowClear
            className={roomy("m")}
            placeholder={t("audit.both")}
            value={refused}
            onChange={setRefused}
            options={[
              { value: false, label: t("audit.done") },
              { value: true, label: t("audit.refused") },
            ]}
          />
        </div>
        <Await of={audit}>
          {(pages) => (
            <Grid
              rowKey={(e) => String(e.auditId)}
              rows={pages.pages.flat()}
              empty={t("audit.nothing")}
              columns={[
                { title: t("audit.when"), render: (e) => siteTime(e.at) },
                { title: t("audit.person"), render: (e) => e.personName },
                {
                  title: t("audit.what"),
                  render: (e) =>
                    e.status < 400 ? (
                      did(e.what)
                    ) : (
                      <span className="tone-bad">
                        {t("audit.refused")}: {did(e.what)}
                      </span>
                    ),
                },
                { title: t("audit.about"), render: about },
                { title: t("audit.from"), render: (e) => `${e.device}, ${e.address}` },
              ]}
            />
          )}
        </Await>
        {audit.hasNextPage && <Button onClick={() => audit.fetchNextPage()}>{t("app.more")}</Button>}
      </section>
    </>
  );
}
