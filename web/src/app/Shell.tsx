import { Button, Dropdown, Segmented } from "antd";
import { type ReactNode, useEffect, useState, useSyncExternalStore } from "react";
import { useTranslation } from "react-i18next";
import { NavLink, useLocation, useNavigate } from "react-router";
import { http, keptAnswers, type S } from "../api/client";
import { answers } from "../offline/db";
import { aside } from "../offline/outbox";
import { useAside, useIntake, useUnsent } from "../offline/useLedger";
import { useOnline, useServerAway } from "../offline/useOnline";
import { useTakeAlong } from "../offline/useTakeAlong";
import { Dialog } from "../ui/Dialog";
import { Icon, type IconName } from "../ui/Icon";
import { useFault } from "../ui/Parts";
import { lately, siteTime, useSettings } from "../ui/settings";

/** On a phone the bar holds what the hands are at; the rest stands behind one more tap. */
const rail: { to: string; name: IconName; folds?: boolean }[] = [
  { to: "/", name: "today" },
  { to: "/jobs", name: "jobs", folds: true },
  { to: "/plan", name: "plan", folds: true },
  { to: "/week", name: "week", folds: true },
  { to: "/bench", name: "bench" },
  { to: "/look", name: "look" },
  { to: "/measure", name: "measure" },
  { to: "/rework", name: "rework", folds: true },
  { to: "/yield", name: "yield", folds: true },
  { to: "/kit", name: "kit", folds: true },
  { to: "/methods", name: "methods", folds: true },
  { to: "/handover", name: "handover" },
  { to: "/office", name: "office", folds: true },
];

export function Shell({ person, company, children }: { person: S["Person"]; company: string; children: ReactNode }) {
  const { t } = useTranslation();
  const { unit, setUnit, look, setLook } = useSettings();
  const unsent = useUnsent();
  const online = useOnline();
  const away = useServerAway();
  const refused = useAside();
  const [shown, showRefused] = useState(false);
  useIntake();
  useTakeAlong();
  const navigate = useNavigate();
  const { pathname } = useLocation();
  const here = pathname.split("/")[1] || "today";
  const asOf = useSyncExternalStore(keptAnswers.subscribe, keptAnswers.oldest);
  // biome-ignore lint/correctness/useExhaustiveDependencies: each screen says of its own
  useEffect(keptAnswers.forget, [pathname]);
  const planner = person.role === "lead" || person.role === "office";
  const worker = person.role !== "viewer";
  const rooms = rail.filter(
    (r) =>
      (planner || (r.name !== "plan" && r.name !== "week" && r.name !== "rework")) &&
      (worker || !["bench", "look", "measure", "yield", "kit", "methods"].includes(r.name)) &&
      (person.role === "office" || r.name !== "office"),
  );
  const fault = useFault();
  const leave = async () => {
    try {
      await http.DELETE("/api/session");
    } catch (e) {
      return fault(e); // with no signal the sign-in would live on at the server
    }
    await answers.clear();
    // The page begins anew: nothing of this person stays in its memory.
    window.location.assign("/");
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
        {rooms.map((r) => (
          <NavLink
            key={r.to}
            to={r.to}
            end={r.to === "/"}
            className={({ isActive }) => `${isActive ? "here" : ""} ${r.folds ? "folds" : ""}`}
          >
            <Icon name={r.name} />
            {t(`rail.${r.name}`)}
          </NavLink>
        ))}
        <Dropdown
          trigger={["click"]}
          menu={{
            items: rooms
              .filter((r) => r.folds)
              .map((r) => ({ key: r.to, label: t(`rail.${r.name}`), onClick: () => navigate(r.to) })),
          }}
        >
          <button type="button" className={rooms.some((r) => r.folds && r.name === here) ? "more here" : "more"}>
            <Icon name="more" />
            {t("rail.more")}
          </button>
        </Dropdown>
      </nav>
      <header className="strip">
        <div className="where">
          {company} · {t([`rail.${here}`, "app.name"])}
        </div>
        <span className={unsent > 0 || !online || away || asOf ? "signal waiting" : "signal"} role="status">
          {[
            online ? away && t("app.serverAway") : t("app.offline"),
            unsent > 0 && t("app.unsent", { count: unsent }),
            // In the strip, so that nothing moves under the hand when it comes.
            asOf && t("app.asOf", { time: lately(asOf) }),
          ]
            .filter(Boolean)
            .join(" · ") || t("app.online")}
        </span>
        {refused.length > 0 && (
          <Button danger onClick={() => showRefused(true)}>
            {t("app.aside", { count: refused.length })}
          </Button>
        )}
        <Segmented
          className="wide"
          aria-label={t("app.units")}
          options={["mm", "in"]}
          value={unit}
          onChange={(v) => setUnit(v as "mm" | "in")}
        />
        <Button
          className="wide"
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
              {
                key: "unit",
                label: t(unit === "mm" ? "app.toInches" : "app.toMillimetres"),
                onClick: () => setUnit(unit === "mm" ? "in" : "mm"),
              },
              {
                key: "look",
                label: look === "light" ? t("app.themeDark") : t("app.themeLight"),
                onClick: () => setLook(look === "light" ? "dark" : "light"),
              },
              { key: "mine", label: t("account.mine"), onClick: () => navigate("/account") },
              { key: "about", label: t("about.title"), onClick: () => navigate("/about") },
              { key: "out", label: t("app.signOut"), onClick: leave },
            ],
          }}
        >
          <Button className="who" title={person.name}>
            <span>
              {person.name}
              <span className="wide"> · {t(`role.${person.role}`)}</span>
            </span>
          </Button>
        </Dropdown>
      </header>
      <main id="main">
        {!window.isSecureContext && (
          <p className="warn" role="note">
            {t("app.plainHttp")} <a href="/trust">{t("app.plainHttpHow")}</a>
          </p>
        )}
        {children}
      </main>
      <Dialog open={shown} onCancel={() => showRefused(false)} footer={null} title={t("app.asideTitle")}>
        <p className="faint">{t("app.asideText")}</p>
        <ul className="list">
          {refused.map((r) => (
            <li key={r.id}>
              <p>
                <code>{r.event?.kind ?? t("app.asideFile")}</code> · {siteTime(r.event?.at ?? r.file?.at ?? r.at)}
                <br />
                {r.why}
              </p>
              <Button onClick={() => aside.again(r)}>{t("app.asideAgain")}</Button>
            </li>
          ))}
        </ul>
      </Dialog>
    </div>
  );
}
