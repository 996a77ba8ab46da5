import { useState } from "react";
import { useTranslation } from "react-i18next";
import { api, type S } from "../api/client";
import { Await } from "../ui/Parts";

const percent = (share: number) => (share < 0.01 ? "< 1 %" : `${(share * 100).toFixed(0)} %`);
const SHOWN = 4;

type Words = (key: string, args?: Record<string, unknown>) => string;

/** What may ail a connector, by its own record and its neighbours', and the way that costs least; asked for when it is opened. */
export function Ailment({ endId }: { endId: string }) {
  const { t } = useTranslation();
  const [open, setOpen] = useState(false);
  return (
    <details open={open} onToggle={(e) => setOpen(e.currentTarget.open)}>
      <summary>{t("ailment.title")}</summary>
      {open && <Found endId={endId} />}
    </details>
  );
}

function Found({ endId }: { endId: string }) {
  const { t } = useTranslation();
  const of = api.useQuery("get", "/api/ends/{endId}/diagnosis", { params: { path: { endId } } });
  return (
    <Await of={of}>
      {({ ask, found }) =>
        ask && found ? (
          <>
            <p className="faint">
              {ask.observations?.length
                ? t("ailment.seen", { what: ask.observations.map((o) => signText(t, o.sign, o.value)).join("; ") })
                : t("ailment.nothingSeen")}
            </p>
            <ul className="list bars">
              {found.causes.slice(0, SHOWN).map((c) => (
                <Cause key={c.reason} of={c} />
              ))}
            </ul>
            {found.then.length > 0 && (
              <p>{t("ailment.then", { acts: found.then.map((n) => actText(t, n.act)).join(", ") })}</p>
            )}
            <p className="faint">{t("ailment.how")}</p>
          </>
        ) : (
          <p className="faint">{t("ailment.none")}</p>
        )
      }
    </Await>
  );
}

/** What to do next, and why: one sentence. */
export function NextText({ next }: { next: S["NextAct"] }) {
  const { t } = useTranslation();
  return (
    <>
      <b>{t("ailment.next", { act: actText(t, next.act) })}</b> {why(t, next)}
    </>
  );
}

/** A cause with its chance; what moved it opens below. */
function Cause({ of: c }: { of: S["CauseFound"] }) {
  const { t } = useTranslation();
  return (
    <li>
      <details className="bar-name">
        <summary>{t(`reason.${c.reason}`)}</summary>
        <ul>
          <li>{t("ailment.prior", { chance: percent(c.prior) })}</li>
          {c.because.map((e) => (
            <li key={`${e.sign}${e.tried}`}>
              {t(e.factor >= 1 ? "ailment.more" : "ailment.less", {
                what: e.sign
                  ? signText(t, e.sign, e.value ?? "")
                  : t("ailment.tried", { act: actText(t, e.tried ?? "") }),
                times: (e.factor >= 1 ? e.factor : 1 / e.factor).toFixed(1),
              })}
            </li>
          ))}
        </ul>
      </details>
      <svg className="bar" viewBox="0 0 100 6" preserveAspectRatio="none" aria-hidden="true">
        <rect className="whole" width={100} height={6} />
        <rect width={100 * c.probability} height={6} />
      </svg>
      <b>{percent(c.probability)}</b>
    </li>
  );
}

const signText = (t: Words, sign: string, value: string) => t(`sign.${sign}.${value}`);

export const actText = (t: Words, act: string) =>
  act.startsWith("look:") ? t("ailment.look", { what: t(`sign.${act.slice(5)}.name`) }) : t(`act.${act}`);

const why = (t: Words, n: S["NextAct"]) =>
  t(`ailment.why.${n.why}`, {
    chance: percent(n.successProbability),
    minutes: Math.round(n.expectedMinutes),
    cause: n.cause ? t(`reason.${n.cause}`) : t("ailment.anything"),
  });
