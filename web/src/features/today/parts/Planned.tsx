import { useTranslation } from "react-i18next";
import { Link } from "react-router";
import { api } from "../../../api/client";
import { siteDay, siteTime } from "../../../ui/settings";

/** One's own part of the week: of the next day on which there is one. */
export function Planned() {
  const { t } = useTranslation();
  const mine = api.useQuery("get", "/api/week/mine").data ?? [];
  const first = mine[0]?.stretches[0];
  if (!first) return null;
  const zone = mine[0]?.timeZone ?? "UTC";
  const day = siteDay(first.from, zone);
  return (
    <section className="card" aria-label={t("week.mine", { day })}>
      <h2>{t("week.mine", { day })}</h2>
      <ul className="checks">
        {mine
          .filter((m) => m.stretches.some((s) => siteDay(s.from, zone) === day))
          .map((m) => (
            <li key={m.label.id}>
              {siteTime(m.stretches[0]?.from ?? "", zone)
                .split(", ")
                .at(-1)}{" "}
              <Link to={`/bench/${m.label.jobId}/${m.label.placeId}`}>
                {t(`week.${m.label.kind}`, { ends: m.label.ends, place: m.label.place })}
              </Link>{" "}
              <span className="faint">{m.label.customer}</span>
            </li>
          ))}
      </ul>
      <a href="/api/week/mine/calendar" download="week.ics">
        {t("week.calendar")}
      </a>
    </section>
  );
}
