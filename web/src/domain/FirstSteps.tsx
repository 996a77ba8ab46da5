import { Button } from "antd";
import { useTranslation } from "react-i18next";
import { Link } from "react-router";
import { useCrews, usePeoplePages } from "../api/hooks";

/** Where a new company begins: a crew, its people, the first job. Gone once there is a job. */
export function FirstSteps() {
  const { t } = useTranslation();
  const crews = useCrews();
  const people = usePeoplePages({});
  if (!crews.data || !people.data) return null;
  const hasPeople = people.data.pages.flat().some((p) => p.role === "installer" || p.role === "lead");
  const steps = [
    { done: crews.data.length > 0, to: "/office/people", text: t("first.crew"), act: t("first.crewAct") },
    { done: hasPeople, to: "/office/people", text: t("first.people"), act: t("first.peopleAct") },
    { done: false, to: "/plan", text: t("first.job"), act: t("today.newJob") },
  ];
  const next = steps.find((s) => !s.done);
  return (
    <section className="card narrow">
      <h2>{t("first.title")}</h2>
      <ol className="list">
        {steps.map((s) => (
          <li key={s.text} aria-current={s === next ? "step" : undefined}>
            {s.done ? <s>{s.text}</s> : s.text} {s.done && t("first.done")}
            {s === next && (
              <p>
                <Link to={s.to}>
                  <Button type="primary">{s.act}</Button>
                </Link>
              </p>
            )}
          </li>
        ))}
      </ol>
    </section>
  );
}
