import { Button } from "antd";
import { useTranslation } from "react-i18next";

/** The list with one item in place of another. */
export const swap = <T,>(list: T[], i: number, item: T) => list.map((x, n) => (n === i ? item : x));

export function Drop({ what, onDrop }: { what: string; onDrop: () => void }) {
  const { t } = useTranslation();
  return (
    <Button size="small" aria-label={`${t("app.remove")} ${what}`} onClick={onDrop}>
      {t("app.remove")}
    </Button>
  );
}
