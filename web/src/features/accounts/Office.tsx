import { Segmented } from "antd";
import { useTranslation } from "react-i18next";
import { useNavigate, useParams } from "react-router";
import Audit from "./Audit";
import Crew from "./Crew";
import { Server } from "./Server";
import { Tokens } from "./Tokens";

const parts = { people: Crew, scripts: Tokens, audit: Audit, server: Server };

/** What the office alone keeps: people, scripts, what was done, and the server. */
export default function Office() {
  const { t } = useTranslation();
  const navigate = useNavigate();
  const asked = useParams().part;
  const part = asked && asked in parts ? (asked as keyof typeof parts) : "people";
  const Shown = parts[part];
  return (
    <>
      <div className="row middle below">
        <Segmented
          aria-label={t("office.title")}
          value={part}
          onChange={(to) => navigate(`/office/${to}`)}
          options={(Object.keys(parts) as (keyof typeof parts)[]).map((value) => ({
            value,
            label: t(`office.${value}`),
          }))}
        />
      </div>
      <Shown />
    </>
  );
}
