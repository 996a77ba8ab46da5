import { useQueryClient } from "@tanstack/react-query";
import { App, Button, Input, Select } from "antd";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import { Link, useNavigate } from "react-router";
import { answered, http, type S, stale } from "../../api/client";
import { useProcedures, useSchools, useSession } from "../../api/hooks";
import { Await, useFault } from "../../ui/Parts";

/** Procedures by method, your own first; where practitioners disagree, which school your company follows. */
export default function Methods() {
  const { t } = useTranslation();
  const list = useProcedures();
  const role = useSession().data?.person?.role;
  const plans = role === "lead" || role === "office";
  return (
    <>
      <div className="row">
        <h1>{t("methods.title")}</h1>
        <span className="grow" />
        <Link to="/methods/limits">{t("limits.title")}</Link>
        <Link to="/methods/compare">{t("methods.compare")}</Link>
      </div>
      <p className="faint">{t("methods.typicalNote")}</p>
      <Await of={list}>
        {(items) => (
          <>
            {items.some((p) => p.own) && (
              <>
                <h2>{t("methods.own")}</h2>
                <div className="cols">
                  {items
                    .filter((p) => p.own)
                    .map((p) => (
                      <Procedure key={`${p.id}${p.version}`} p={p} />
                    ))}
                </div>
              </>
            )}
            <h2>{t("methods.shipped")}</h2>
            <div className="cols">
              {items
                .filter((p) => !p.own)
                .map((p) => (
                  <Procedure key={p.id} p={p} />
                ))}
            </div>
          </>
        )}
      </Await>
      {plans && <Import />}
      <Schools may={plans} />
    </>
  );
}

function Procedure({ p }: { p: S["ProcedureLine"] }) {
  const { t } = useTranslation();
  return (
    <section className="card">
      <h3>
        <Link to={`/methods/${p.id}/${p.version}${p.draft ? "/edit" : ""}`}>{p.title}</Link>
      </h3>
      <p>
        {t(`method.${p.method}`)} · {t("methods.version", { v: p.version })}
        {p.draft && <b> · {t("methods.draft")}</b>} · {t("methods.stepCount", { count: p.steps })}
      </p>
      {p.original && (
        <p className="tone-doubtful">
          {t("methods.originalChanged", { v: p.original.version, newest: p.original.newest })}{" "}
          <Link
            to={`/methods/compare?from=${p.original.id}@${p.original.version}&to=${p.original.id}@${p.original.newest}`}
          >
            {t("methods.seeChanges")}
          </Link>
        </p>
      )}
      <p className="faint">
        {p.fits.forms.map((f) => t(`form.${f}`)).join(", ")} · {p.fits.polishes.join(", ")} ·{" "}
        {p.fits.constructions.map((c) => t(`construction.${c}`)).join(", ")}
      </p>
    </section>
  );
}

function Import() {
  const { t } = useTranslation();
  const [yaml, setYaml] = useState("");
  const fault = useFault();
  const client = useQueryClient();
  const navigate = useNavigate();
  const send = async () => {
    try {
      const made = await answered(http.POST("/api/procedures/import", { body: { yaml } }));
      await stale(client, "/api/procedures");
      navigate(`/methods/${made.id}/${made.version}/edit`);
    } catch (e) {
      fault(e);
    }
  };
  return (
    <section className="card">
      <h2>{t("methods.import")}</h2>
      <p className="faint">{t("methods.importText")}</p>
      <Input.TextArea aria-label={t("methods.yaml")} rows={4} value={yaml} onChange={(e) => setYaml(e.target.value)} />
      <div className="row above">
        <label>
          <span className="unseen">{t("methods.file")}</span>
          <input
            type="file"
            accept=".yaml,.yml"
            onChange={async (e) => setYaml((await e.target.files?.[0]?.text()) ?? "")}
          />
        </label>
        <Button disabled={!yaml.trim()} onClick={send}>
          {t("methods.importIt")}
        </Button>
      </div>
    </section>
  );
}

function Schools({ may }: { may: boolean }) {
  const { t } = useTranslation();
  const schools = useSchools();
  const client = useQueryClient();
  const fault = useFault();
  const { message } = App.useApp();
  const follow = async (option: string, choice: string) => {
    try {
      await http.PUT("/api/schools/{optionId}", { params: { path: { optionId: option } }, body: { choice } });
      await stale(client, "/api/schools", "/api/procedures/{procedureId}/{version}", "/api/places/{placeId}/bench");
      message.success(t("methods.followed"));
    } catch (e) {
      fault(e);
    }
  };
  return (
    <section className="card">
      <h2>{t("methods.schools")}</h2>
      <p className="faint">{t("methods.schoolsText")}</p>
      <Await of={schools}>
        {(list) => (
          <ul className="list">
            {list.map((s) => (
              <li key={s.option} className="row middle">
                <span className="grow">
                  <b>{s.question}</b>
                  <br />
                  <span className="faint">{s.why}</span>
                </span>
                <Select
                  aria-label={s.question}
                  disabled={!may}
                  className="w-l"
                  value={s.choice ?? s.default}
                  options={s.choices.map((c) => ({
                    value: c.id,
                    label: c.id === s.default ? `${c.label} (${t("methods.default")})` : c.label,
                  }))}
                  onChange={(v) => follow(s.option, v)}
                />
              </li>
            ))}
          </ul>
        )}
      </Await>
    </section>
  );
}
