import { useQueryClient } from "@tanstack/react-query";
import { Button, Checkbox, Form, Progress, Radio, Select } from "antd";
import { useTranslation } from "react-i18next";
import { http, type S } from "../../api/client";
import { placesOf } from "../../domain/places";
import { Await, Nothing, useFault } from "../../ui/Parts";
import { siteTime } from "../../ui/settings";
import { papersStale, useDossiers } from "./api";

type Fields = { edition: S["DossierEdition"]; with: string[]; spaceIds?: string[]; placeIds?: string[] };

/** The proof on paper: asked for in two editions and in parts, drawn while one does something else. */
export function Papers({ job }: { job: S["JobDetail"] }) {
  const { t } = useTranslation();
  const { jobId } = job.job;
  const papers = useDossiers(jobId);
  const client = useQueryClient();
  const fault = useFault();
  const [form] = Form.useForm<Fields>();
  const ask = (v: Fields) =>
    http
      .POST("/api/jobs/{jobId}/dossiers", {
        params: { path: { jobId } },
        body: {
          edition: v.edition,
          names: v.with.includes("names"),
          pictures: v.with.includes("pictures"),
          exceptionsOnly: v.with.includes("exceptionsOnly"),
          photos: v.with.includes("photos"),
          spaceIds: v.spaceIds?.length ? v.spaceIds : null,
          placeIds: v.placeIds?.length ? v.placeIds : null,
          handover: null,
        },
      })
      .then(() => papersStale(client))
      .catch((e) => fault(e, form));
  return (
    <section className="card" aria-label={t("paper.title")}>
      <h2>{t("paper.title")}</h2>
      <Form
        form={form}
        name="paper"
        layout="vertical"
        initialValues={{ edition: "customer", with: ["pictures"] }}
        onFinish={ask}
      >
        <Form.Item name="edition" label={t("paper.edition")}>
          <Radio.Group
            options={(["customer", "company"] as const).map((value) => ({ value, label: t(`edition.${value}`) }))}
          />
        </Form.Item>
        <Form.Item name="with" label={t("paper.with")}>
          <Checkbox.Group
            options={["pictures", "photos", "names", "exceptionsOnly"].map((value) => ({
              value,
              label: t(`paper.${value}`),
            }))}
          />
        </Form.Item>
        <div className="row">
          <Form.Item name="spaceIds" label={t("paper.spaces")}>
            <Select
              mode="multiple"
              className="w-l"
              placeholder={t("app.all")}
              optionFilterProp="label"
              options={job.spaces.map((s) => ({ value: s.spaceId, label: `${s.code} · ${s.name}` }))}
            />
          </Form.Item>
          <Form.Item name="placeIds" label={t("paper.places")}>
            <Select
              mode="multiple"
              className="w-l"
              placeholder={t("app.all")}
              optionFilterProp="label"
              options={placesOf(job).map((p) => ({ value: p.placeId, label: p.label }))}
            />
          </Form.Item>
          <Form.Item label=" ">
            <Button type="primary" htmlType="submit">
              {t("paper.make")}
            </Button>
          </Form.Item>
        </div>
      </Form>
      <Await of={papers}>
        {(list) =>
          list.length === 0 ? (
            <Nothing text={t("paper.none")} />
          ) : (
            <ul className="list papers">
              {list.map((d) => (
                <li key={d.dossierId}>
                  <Paper paper={d} timeZone={job.job.timeZone} />
                </li>
              ))}
            </ul>
          )
        }
      </Await>
    </section>
  );
}

function Paper({ paper, timeZone }: { paper: S["DossierView"]; timeZone: string }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const fault = useFault();
  const of = { params: { path: { dossierId: paper.dossierId } } };
  const busy = paper.stage === "waiting" || paper.stage === "drawing";
  return (
    <div className="row between">
      <span>
        <b>
          {paper.handover !== null
            ? t("paper.ofHandover", { no: paper.handover })
            : t(`edition.${paper.choice.edition}`)}
        </b>{" "}
        {[
          paper.choice.exceptionsOnly && t("paper.exceptionsOnly"),
          !paper.choice.pictures && t("paper.noPictures"),
          paper.choice.photos && t("paper.photos"),
          paper.choice.names && t("paper.names"),
          (paper.choice.spaceIds || paper.choice.placeIds) && t("paper.part"),
        ]
          .filter(Boolean)
          .join(" · ")}
        <br />
        <span className="faint">
          {t("paper.asked", { name: paper.askedBy, time: siteTime(paper.askedAt, timeZone) })}
          {paper.fileBytes !== null && ` · ${megabytes(paper.fileBytes)}`}
          {paper.checkCode && ` · ${t("paper.code", { code: paper.checkCode })}`}
        </span>
      </span>
      {busy ? (
        <span className="row">
          <Progress className="w-m" percent={Math.round(paper.progress * 100)} aria-label={t("paper.drawing")} />
          <Button
            onClick={() =>
              http
                .POST("/api/dossiers/{dossierId}/stop", of)
                .then(() => papersStale(client))
                .catch(fault)
            }
          >
            {t("paper.stop")}
          </Button>
        </span>
      ) : paper.stage === "done" ? (
        <Files paper={paper} />
      ) : (
        <span className={paper.stage === "failed" ? "tone-bad" : "faint"}>
          {t(`paper.${paper.stage}`)} {paper.fault}
        </span>
      )}
    </div>
  );
}

/** What lies beside each other: the paper, its seal, and the same as data. */
export function Files({ paper }: { paper: S["DossierView"] }) {
  const { t } = useTranslation();
  const at = `/api/dossiers/${paper.dossierId}`;
  return (
    <span className="row">
      {(["file", "seal", "data", "table?format=xlsx", "archive"] as const).map((what) => (
        <a key={what} className="files-link" href={`${at}/${what}`} download>
          {t(`paper.${what.split("?")[0] as "file"}`)}
        </a>
      ))}
    </span>
  );
}

export const megabytes = (bytes: number) =>
  bytes < 100_000 ? `${Math.max(1, Math.round(bytes / 1000))} kB` : `${(bytes / 1e6).toFixed(1)} MB`;
