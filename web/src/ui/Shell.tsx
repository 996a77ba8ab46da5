import { useQueryClient } from "@tanstack/react-query";
import { Button, Dropdown, Segmented } from "antd";
import type { ReactNode } from "react";
import { useTranslation } from "react-i18next";
import { NavLink, useLocation, useNavigate } from "react-router";
import { del, type S } from "../api/client";
import { answers } from "../offline/db";
import { useIntake, useUnsent } from "../offline/useLedger";
import { useOnline } from "../offline/useOnline";
import { useTakeAlong } from "../offline/useTakeAlong";
import { Icon, type IconName } from "./Icon";
import { useSettings } from "./settings";

const rail: { to: string; name: IconName }[] = [
  { to: "/", name: "today" },
  { to: "/jobs", name: "jobs" },
  { to: "/plan", name: "plan" },
  { to: "/bench", name: "bench" },
  { to: "/look", name: "look" },
  { to: "/measure", name: "measure" },
  { to: "/rework", name: "rework" },
  { to: "/methods", name: "methods" },
  { to: "/handover", name: "handover" },
];

export function Shell({ person, company, children }: { person: S["Person"]; company: string; children: ReactNode }) {
  const { t } = useTranslation();
  const { unit, setUnit, look, setLook } = useSettings();
  const unsent = useUnsent();
  const online = useOnline();
  useIntake();
  useTakeAlong();
  const client = useQueryClient();
  const navigate = useNavigate();
  const here = useLocation().pathname.split("/")[1] || "today";
  const planner = person.role === "lead" || person.role === "office";
  const worker = person.role !== "viewer";
  const shown = rail.filter(
    (r) =>
      (planner || (r.name !== "plan" && r.name !== "rework")) &&
      (worker || !["bench", "look", "measure"].includes(r.name)),
  );
  const leave = async () => {
    await del("/api/session");
    await answers.clear();
    client.clear();
    navigate("/");
  };
  return (
    <div className="frame">
      <a className="skip" href="#main">
        {t("app.skip")}
      </a>
      <nav className="rail" aria-label={t("app.main")}>
        <div className="mark" aria-hidden="true">
          {t("app.name")}
        </div>
        {shown.map((r) => (
          <NavLink key={r.to} to={r.to} end={r.to === "/"} className={({ isActive }) => (isActive ? "here" : "")}>
            <Icon name={r.name} />
            {t(`rail.${r.name}`)}
          </NavLink>
        ))}
      </nav>
      <header className="strip">
        <div className="where">
          {company} · {t([`rail.${here}`, "app.name"])}
        </div>
        <span className={unsent > 0 || !online ? "signal waiting" : "signal"} role="status">
          {[!online && t("app.offline"), unsent > 0 && t("app.unsent", { count: unsent })]
            .filter(Boolean)
            .join(" · ") || t("app.online")}
        </span>
        <Segmented
          aria-label={t("app.units")}
          options={["mm", "in"]}
          value={unit}
          onChange={(v) => setUnit(v as "mm" | "in")}
        />
        <Button
          aria-label={t("app.theme")}
          onClick={() => setLook(look === "light" ? "dark" : "light")}
          title={t("app.theme")}
        >
          {look === "light" ? t("app.themeDark") : t("app.themeLight")}
        </Button>
        <Dropdown
          trigger={["click"]}
          menu={{
            items: [
              ...(person.role === "office"
                ? [{ key: "crew", label: t("app.crew"), onClick: () => navigate("/crew") }]
                : []),
              { key: "out", label: t("app.signOut"), onClick: leave },
            ],
          }}
        >
          <Button>
            {person.name} · {t(`role.${person.role}`)}
          </Button>
        </Dropdown>
      </header>
      <main id="main">{children}</main>
    </div>
  );
}
