import { Alert, Button, Form, Input, Upload } from "antd";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import { useNavigate, useParams } from "react-router";
import type { S } from "../../api/client";
import { Await } from "../../ui/Parts";
import { siteTime } from "../../ui/settings";
import { keyOwner, useCheck } from "./api";
import { checkSeal, readSeal, type SealFinding } from "./seal";

type Found = { finding: SealFinding; seal?: S["Seal"]; owner?: string | null; files: number };

/** Whoever holds a paper asks here whether it is what was sealed: by its printed code, or by its files, these with no network, too. */
export default function Check() {
  const { t } = useTranslation();
  const { code = "" } = useParams();
  const navigate = useNavigate();
  const asked = useCheck(code);
  return (
    <main className="open-page">
      <p className="whose">{t("app.name")}</p>
      <h1>{t("checkPage.title")}</h1>
      <section className="card">
        <h2>{t("checkPage.byCode")}</h2>
        <Form
          key={code}
          name="code"
          layout="vertical"
          initialValues={{ code }}
          onFinish={(v: { code: string }) => navigate(`/check/${encodeURIComponent(v.code.trim())}`)}
        >
          <div className="row">
            <Form.Item name="code" label={t("checkPage.code")} rules={[{ required: true, whitespace: true }]}>
              <Input className="w-l" autoComplete="off" autoCapitalize="characters" />
            </Form.Item>
            <Form.Item label=" ">
              <Button type="primary" htmlType="submit">
                {t("checkPage.ask")}
              </Button>
            </Form.Item>
          </div>
        </Form>
        {code && (
          <Await of={asked}>
            {(found) => (
              <>
                {found.map((s) => (
                  <Sealed key={s.seal.fileSha256} sealed={s} />
                ))}
              </>
            )}
          </Await>
        )}
      </section>
      <ByFile />
    </main>
  );
}

function Sealed({ sealed }: { sealed: S["SealedView"] }) {
  const { t } = useTranslation();
  const { seal } = sealed;
  return (
    <div className="sealed">
      <p className="whole">{t("checkPage.known", { company: seal.company })}</p>
      <Facts seal={seal} />
      <p>{t("checkPage.provenThen", { proven: sealed.proven, planned: sealed.planned })}</p>
      {sealed.changedCount === 0 ? (
        <p>{t("checkPage.unchanged")}</p>
      ) : (
        <>
          <p>{t("checkPage.changed", { count: sealed.changedCount })}</p>
          <ul>
            {sealed.changed.slice(0, 50).map((c) => (
              <li key={c.endId}>
                <span className="address">{c.address}</span> {c.changes.map((x) => t(`change.${x}`)).join(", ")}
              </li>
            ))}
          </ul>
          {sealed.changedCount > 50 && (
            <p className="faint">{t("handOver.andMore", { count: sealed.changedCount - 50 })}</p>
          )}
        </>
      )}
    </div>
  );
}

function Facts({ seal }: { seal: S["Seal"] }) {
  const { t } = useTranslation();
  return (
    <dl className="facts">
      {(
        [
          ["customer", `${seal.customer}, ${seal.site}`],
          ["edition", t(`edition.${seal.edition}`)],
          ["handover", seal.handover === null ? t("checkPage.copy") : String(seal.handover)],
          ["sealedAt", siteTime(seal.sealedAt)],
          ["key", seal.keyId],
          ["data", seal.dataSha256],
        ] as const
      ).map(([name, value]) => (
        <div key={name} className="contents">
          <dt>{t(`checkPage.${name}`)}</dt>
          <dd className="wraps">{value}</dd>
        </div>
      ))}
    </dl>
  );
}

/** The seal and what it lies beside, dropped together. */
function ByFile() {
  const { t } = useTranslation();
  const [found, setFound] = useState<Found | null>(null);
  const take = async (files: File[]) => {
    let seal: S["Seal"] | null = null;
    let pdf: ArrayBuffer | undefined;
    let data: ArrayBuffer | undefined;
    for (const f of files) {
      const bytes = await f.arrayBuffer();
      const head = new TextDecoder().decode(bytes.slice(0, 5));
      const read = head.startsWith("%PDF") ? null : readSeal(new TextDecoder().decode(bytes));
      if (read) seal = read;
      else if (head.startsWith("%PDF")) pdf = bytes;
      else data = bytes;
    }
    if (!seal) return setFound({ finding: "no-seal", files: files.length });
    const finding = await checkSeal(seal, pdf, data);
    const owner = finding === "bad-signature" ? undefined : await keyOwner(seal.keyId);
    setFound({ finding, seal, owner, files: files.length });
  };
  return (
    <section className="card">
      <h2>{t("checkPage.byFile")}</h2>
      <p className="faint">{t("checkPage.byFileText")}</p>
      <Upload
        multiple
        accept=".pdf,.json"
        showUploadList={false}
        beforeUpload={(file, all) => {
          if (file === all.at(-1)) void take(all);
          return false;
        }}
      >
        <Button size="large">{t("checkPage.pick")}</Button>
      </Upload>
      {found && (
        <>
          <Alert
            className="above"
            type={found.finding === "whole" ? (found.files > 1 ? "success" : "warning") : "error"}
            showIcon
            title={t(
              found.finding === "whole" && found.files === 1
                ? "sealFinding.seal-alone"
                : `sealFinding.${found.finding}`,
            )}
            description={
              found.finding !== "bad-signature" &&
              found.seal &&
              t(
                found.owner === undefined
                  ? "checkPage.keyUnasked"
                  : found.owner === null
                    ? "checkPage.keyUnknown"
                    : "checkPage.keyOf",
                {
                  company: found.owner ?? "",
                },
              )
            }
          />
          {found.seal && found.finding !== "bad-signature" && <Facts seal={found.seal} />}
        </>
      )}
    </section>
  );
}
