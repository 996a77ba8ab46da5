import { useTranslation } from "react-i18next";
import type { S } from "../../api/client";
import { Sideways } from "../../ui/Parts";
import { nameOfGroup, percent } from "./words";

/** Two keys at once: what is good at once of each, and of how many. */
export function Crossed(props: {
  by: S["YieldBy"];
  of: S["YieldCrossed"];
  onOpen: (key: string, and: string) => void;
}) {
  const { t } = useTranslation();
  const { by, of, onOpen } = props;
  const keys = [...new Set(of.cells.map((c) => c.key))];
  const ands = [...new Set(of.cells.map((c) => c.and))];
  const made = (list: S["YieldCell"][]) => list.reduce((sum, c) => sum + c.made, 0);
  keys.sort((a, b) => made(of.cells.filter((c) => c.key === b)) - made(of.cells.filter((c) => c.key === a)));
  ands.sort((a, b) => made(of.cells.filter((c) => c.and === b)) - made(of.cells.filter((c) => c.and === a)));
  return (
    <Sideways>
      <table className="grid">
        <caption className="faint">{t("yield.crossed")}</caption>
        <thead>
          <tr>
            <th>{t(`yield.bys.${by}`)}</th>
            {ands.map((and) => (
              <th key={and} className="right">
                {nameOfGroup(t, of.and, and, of.names[and])}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {keys.map((key) => (
            <tr key={key}>
              <th scope="row">{nameOfGroup(t, by, key, of.names[key])}</th>
              {ands.map((and) => {
                const cell = of.cells.find((c) => c.key === key && c.and === and);
                return (
                  <td key={and} className="right">
                    {cell ? (
                      <button
                        type="button"
                        className="plain-link"
                        title={`${percent(cell.share.low, 1)} – ${percent(cell.share.high, 1)}`}
                        onClick={() => onOpen(key, and)}
                      >
                        {percent(cell.share.rate)}{" "}
                        <span className="faint">{t("yield.ofMade", { count: cell.made })}</span>
                      </button>
                    ) : (
                      <span className="faint">–</span>
                    )}
                  </td>
                );
              })}
            </tr>
          ))}
        </tbody>
      </table>
    </Sideways>
  );
}
