import { Collapse } from "antd";
import { useEffect, useState } from "react";
import { useTranslation } from "react-i18next";
import { useAbout } from "../../api/hooks";
import { Await } from "../../ui/Parts";

/** What the build writes of every part that is shipped: scripts/notices.mjs. */
type Notices = {
  parts: { kind: string; name: string; version: string; licence: string; text: number }[];
  texts: string[];
};

const kinds = ["library", "within", "runtime", "script", "font", "data"] as const;

/** The version, and whose work is in it. */
export default function About() {
  const { t } = useTranslation();
  const about = useAbout();
  const [notices, setNotices] = useState<Notices | "none">();
  useEffect(() => {
    fetch("/notices.json")
      .then((r) => (r.ok ? r.json() : Promise.reject(new Error(r.statusText))))
      .then(setNotices, () => setNotices("none"));
  }, []);
  return (
    <>
      <h1>{t("about.title")}</h1>
      <section className="card narrow">
        <Await of={about}>
          {(a) => (
            <p>
              <b>{t("about.version", { version: a.version })}</b>
              {a.commit && <span className="figures quiet"> {a.commit.slice(0, 8)}</span>}
            </p>
          )}
        </Await>
        <p>{t("about.text")}</p>
        <p>{t("about.caution")}</p>
      </section>
      <section className="card">
        <h2>{t("about.parts")}</h2>
        {notices === "none" && <p>{t("about.noSignal")}</p>}
        {notices !== undefined && notices !== "none" && (
          <>
            <p>{t("about.partsText", { count: notices.parts.length })}</p>
            {kinds.map((kind) => {
              const parts = notices.parts.filter((p) => p.kind === kind);
              return (
                parts.length > 0 && (
                  <div key={kind}>
                    <h3>{t(`about.${kind}`)}</h3>
                    <Collapse
                      size="small"
                      items={parts.map((p) => ({
                        key: `${p.name} ${p.version}`,
                        label: `${p.name} ${p.version}`,
                        extra: p.licence,
                        children: <pre className="licence">{notices.texts[p.text]}</pre>,
                      }))}
                    />
                  </div>
                )
              );
            })}
          </>
        )}
      </section>
    </>
  );
}
