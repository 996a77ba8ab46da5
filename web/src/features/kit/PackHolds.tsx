import { Button, Select } from "antd";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import type { S } from "../../api/client";
import { Dialog } from "../../ui/Dialog";
import { choices, useChoices } from "../../ui/Parts";
import { Drop, swap } from "../../ui/rows";

const parts = [
  "connector",
  "boot",
  "crimp-sleeve",
  "crimp-ring",
  "housing",
  "dust-cap",
  "sleeve",
  "pair-clip",
  "shroud",
  "wedge",
  "cable-clamp",
] as const;

/** What lies in a pack beside each connector, and which cables a part is for: in a cell the count, in a window each of them. */
export function PackHolds(props: {
  pack: S["ConnectorPack"];
  office: boolean;
  onChange: (holds: S["PackedPart"][]) => void;
}) {
  const { t } = useTranslation();
  const { pack, office, onChange } = props;
  const options = useChoices();
  const [open, setOpen] = useState(false);
  const whose = `${t(`method.${pack.method}`)}, ${pack.name}`;
  const left = parts.find((p) => !pack.holds.some((h) => h.part === p)) ?? "boot";
  const named = [...new Set([...parts, ...pack.holds.map((h) => h.part)])].map((value) => ({
    value,
    label: t(`packed.${value}`, { defaultValue: value }),
  }));
  return (
    <>
      <Button aria-label={`${t("prices.holds")}, ${whose}`} onClick={() => setOpen(true)}>
        {t("prices.partsHeld", { count: pack.holds.length })}
      </Button>
      <Dialog
        open={open}
        title={`${t("prices.holds")}: ${whose}`}
        onCancel={() => setOpen(false)}
        footer={<Button onClick={() => setOpen(false)}>{t("app.close")}</Button>}
      >
        <p className="faint">{t("prices.holdsHow")}</p>
        {pack.holds.map((h, i) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: the same part may stand in a pack twice, for two kinds of cable
          <div key={`${i}`} className="row middle below">
            <Select
              className="w-m"
              aria-label={t("prices.heldPart", { no: i + 1 })}
              disabled={!office}
              value={h.part}
              options={named}
              onChange={(part) => onChange(swap(pack.holds, i, { ...h, part }))}
            />
            {office && (
              <Drop
                what={t(`packed.${h.part}`, { defaultValue: h.part })}
                onDrop={() => onChange(pack.holds.filter((_, k) => k !== i))}
              />
            )}
            <Select
              mode="multiple"
              className="w-l"
              maxTagCount={1}
              aria-label={t("prices.heldFor", { no: i + 1 })}
              placeholder={t("prices.anyCable")}
              disabled={!office}
              value={h.constructions ?? []}
              options={options("construction", choices.construction)}
              onChange={(v) => onChange(swap(pack.holds, i, { ...h, constructions: v.length ? v : null }))}
            />
          </div>
        ))}
        {office && (
          <Button onClick={() => onChange([...pack.holds, { part: left, constructions: null }])}>
            {t("prices.addHeld")}
          </Button>
        )}
      </Dialog>
    </>
  );
}
