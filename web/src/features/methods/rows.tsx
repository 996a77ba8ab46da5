import { Button } from "antd";
import { useTranslation } from "react-i18next";

/** An id that is not taken yet. */
export function fresh(stem: string, taken: string[]) {
  let n = 1;
  while (taken.includes(`${stem}-${n}`)) n++;
  return `${stem}-${n}`;
}

/** Moves an item up or down its list. */
export function Move<T>({
  list,
  i,
  onMove,
  what,
}: {
  list: T[];
  i: number;
  onMove: (list: T[]) => void;
  what: string;
}) {
  const { t } = useTranslation();
  const to = (n: number) => {
    const next = list.filter((_, x) => x !== i);
    next.splice(n, 0, list[i] as T);
    onMove(next);
  };
  return (
    <>
      <Button size="small" disabled={i === 0} aria-label={t("methods.up", { what })} onClick={() => to(i - 1)}>
        ↑
      </Button>
      <Button
        size="small"
        disabled={i === list.length - 1}
        aria-label={t("methods.down", { what })}
        onClick={() => to(i + 1)}
      >
        ↓
      </Button>
    </>
  );
}
