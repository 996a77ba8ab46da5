import { Alert } from "antd";
import { useTranslation } from "react-i18next";
import { Link } from "react-router";
import { api, type S } from "../api/client";

/** Says loudly that no procedure fits, which come nearest, and what differs. */
export function NoProcedure({ count, nearest }: { count: number; nearest: S["NearProcedure"][] }) {
  const { t } = useTranslation();
  return (
    <Alert
      type="error"
      showIcon
      className="apart"
      title={t("plan.nothingFits", { count })}
      description={
        <>
          <p>{t("plan.nothingFitsText")}</p>
          <ul>
            {nearest.map((n) => (
              <li key={n.id}>
                <Link to={`/methods/${n.id}/${n.version}`}>{n.title}</Link>:{" "}
                {t("plan.differsIn", { what: n.differs.map((d) => t(`plan.unlike.${d}`)).join(", ") })}
              </li>
            ))}
          </ul>
        </>
      }
    />
  );
}

/** The same for ends that are planned already. */
export function Unfit({ endId, count = 1 }: { endId: string; count?: number }) {
  const nearest = api.useQuery("get", "/api/ends/{endId}/nearest", { params: { path: { endId } } });
  return <NoProcedure count={count} nearest={nearest.data ?? []} />;
}
