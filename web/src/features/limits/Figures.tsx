import { Button, Select } from "antd";
import { useTranslation } from "react-i18next";
import type { S } from "../../api/client";
import { Grid } from "../../ui/Parts";
import { Figure } from "./Fields";

const swap = <T,>(list: readonly T[], i: number, next: T) => list.map((x, n) => (n === i ? next : x));

/** How much of the red light may be left in the window, in percent of what was there before. */
export function LightLimits(props: { set: S["LightLimitSet"]; onChange?: (set: S["LightLimitSet"]) => void }) {
  const { t } = useTranslation();
  const { set, onChange } = props;
  return (
    <section className="card">
      <Grid
        rowKey={(share) => share}
        rows={["mostNoneShare", "mostDimmerShare", "mostBrightShare"] as const}
        columns={[
          { title: t("limits.lightSeen"), render: (share) => t(`limits.${share}`) },
          {
            title: t("limits.lightLeft"),
            right: true,
            render: (share) => (
              <Figure
                label={t(`limits.${share}`)}
                step={1}
                max={99}
                value={Math.round(set[share] * 1000) / 10}
                onChange={onChange && ((v) => onChange({ ...set, [share]: (v ?? 0) / 100 }))}
              />
            ),
          },
        ]}
      />
      <p className="faint">{t("limits.lightNote")}</p>
    </section>
  );
}

export function LossLimits(props: { set: S["LossLimitSet"]; onChange?: (set: S["LossLimitSet"]) => void }) {
  const { t } = useTranslation();
  const { set, onChange } = props;
  const connection = (i: number, change: Partial<S["ConnectionLimit"]>) =>
    onChange?.({
      ...set,
      connections: swap(set.connections, i, { ...set.connections[i], ...change } as S["ConnectionLimit"]),
    });
  return (
    <div className="cols">
      <section className="card">
        <h2>{t("limits.connections")}</h2>
        <Grid
          rowKey={({ c }) => c.mode}
          rows={set.connections.map((c, i) => ({ c, i }))}
          columns={[
            { title: t("limits.mode"), render: ({ c }) => t(`mode.${c.mode}`) },
            {
              title: t("limits.endDb"),
              right: true,
              render: ({ c, i }) => (
                <Figure
                  label={`${t("limits.endDb")} ${c.mode}`}
                  value={c.endDb}
                  onChange={onChange && ((v) => connection(i, { endDb: v ?? 0 }))}
                />
              ),
            },
            {
              title: t("limits.pairDb"),
              right: true,
              render: ({ c, i }) => (
                <Figure
                  label={`${t("limits.pairDb")} ${c.mode}`}
                  value={c.pairDb}
                  onChange={onChange && ((v) => connection(i, { pairDb: v ?? 0 }))}
                />
              ),
            },
          ]}
        />
        <p>
          {t("limits.spliceDb")}:{" "}
          <Figure
            label={t("limits.spliceDb")}
            value={set.spliceDb}
            onChange={onChange && ((v) => onChange({ ...set, spliceDb: v ?? 0 }))}
          />
        </p>
      </section>
      <section className="card">
        <h2>{t("limits.cable")}</h2>
        <Grid
          rowKey={({ c }) => `${c.fiberClass}${c.wavelengthNm}`}
          rows={set.cable.map((c, i) => ({ c, i }))}
          columns={[
            { title: t("limits.fiberClass"), render: ({ c }) => c.fiberClass },
            { title: "nm", right: true, render: ({ c }) => c.wavelengthNm },
            {
              title: "dB/km",
              right: true,
              render: ({ c, i }) => (
                <Figure
                  label={`${c.fiberClass} ${c.wavelengthNm} dB/km`}
                  value={c.dbPerKm}
                  onChange={
                    onChange && ((v) => onChange({ ...set, cable: swap(set.cable, i, { ...c, dbPerKm: v ?? 0 }) }))
                  }
                />
              ),
            },
          ]}
        />
      </section>
    </div>
  );
}

export function FaceLimits(props: { set: S["EndFaceLimitSet"]; onChange?: (set: S["EndFaceLimitSet"]) => void }) {
  const { t } = useTranslation();
  const { set, onChange } = props;
  return set.classes.map((table, i) => {
    const zone = (z: number, change: Partial<S["ZoneLimits"]>) =>
      onChange?.({
        ...set,
        classes: swap(set.classes, i, {
          ...table,
          zones: swap(table.zones, z, { ...table.zones[z], ...change } as S["ZoneLimits"]),
        }),
      });
    return (
      <section key={table.class} className="card">
        <h2>{table.class.toUpperCase().replace("-", " ")}</h2>
        <Grid
          rowKey={({ z }) => String(z.zone)}
          rows={table.zones.map((z, n) => ({ z, n }))}
          columns={[
            { title: t("look.zone"), render: ({ z }) => t(`look.zone${z.zone}`) },
            {
              title: t("limits.diameters"),
              render: ({ z, n }) => (
                <>
                  <Figure
                    label={`${t("limits.inner")} ${table.class} ${z.zone}`}
                    step={1}
                    value={z.innerUm}
                    onChange={onChange && ((v) => zone(n, { innerUm: v ?? 0 }))}
                  />
                  –
                  <Figure
                    label={`${t("limits.outer")} ${table.class} ${z.zone}`}
                    step={1}
                    value={z.outerUm}
                    onChange={onChange && ((v) => zone(n, { outerUm: v ?? 0 }))}
                  />
                </>
              ),
            },
            ...(["scratches", "defects"] as const).map((what) => ({
              title: t(`limits.${what}`),
              render: ({ z, n }: { z: S["ZoneLimits"]; n: number }) => (
                <Bands
                  name={`${t(`limits.${what}`)} ${table.class} ${z.zone}`}
                  bands={z[what]}
                  onChange={onChange && ((bands) => zone(n, { [what]: bands }))}
                />
              ),
            })),
          ]}
        />
      </section>
    );
  });
}

/** How many of a size are allowed; the last band takes all the rest. */
function Bands(props: { name: string; bands: S["Band"][]; onChange?: (bands: S["Band"][]) => void }) {
  const { t } = useTranslation();
  const { bands, onChange } = props;
  const many = (max: number | null | undefined) =>
    max == null ? t("limits.any") : max === 0 ? t("limits.none") : t("limits.atMost", { max });
  const size = (b: S["Band"]) =>
    b.belowUm != null
      ? t("limits.below", { um: b.belowUm })
      : b.upToUm != null
        ? t("limits.upTo", { um: b.upToUm })
        : t(bands.length > 1 ? "limits.rest" : "limits.all");
  if (!onChange)
    return (
      <>
        {bands.map((b) => (
          <div key={size(b)}>
            {size(b)}: <b>{many(b.max)}</b>
          </div>
        ))}
      </>
    );
  return (
    <>
      {bands.map((b, i) => {
        const last = i === bands.length - 1;
        const um = b.belowUm ?? b.upToUm;
        const label = `${props.name} ${i + 1}`;
        const sized = (below: boolean, v: number | null): S["Band"] => ({
          belowUm: below ? v : null,
          upToUm: below ? null : v,
          max: b.max ?? null,
        });
        return (
          // biome-ignore lint/suspicious/noArrayIndexKey: a band has no other name than its place
          <div key={i} className="row nowrap middle">
            {last ? (
              <span>{t(bands.length > 1 ? "limits.rest" : "limits.all")}</span>
            ) : (
              <>
                <Select
                  aria-label={`${label} ${t("limits.border")}`}
                  className="w-xs"
                  value={b.belowUm != null}
                  options={[
                    { value: true, label: t("limits.belowWord") },
                    { value: false, label: t("limits.upToWord") },
                  ]}
                  onChange={(below) => onChange(swap(bands, i, sized(below, um ?? null)))}
                />
                <Figure
                  label={`${label} µm`}
                  step={0.5}
                  value={um}
                  onChange={(v) => onChange(swap(bands, i, sized(b.belowUm != null, v)))}
                />
              </>
            )}
            <Figure
              label={`${label} ${t("limits.max")}`}
              step={1}
              max={999}
              empty={t("limits.anyShort")}
              value={b.max}
              onChange={(max) => onChange(swap(bands, i, { ...b, max }))}
            />
            {!last && (
              <Button
                aria-label={`${t("app.remove")} ${label}`}
                onClick={() => onChange(bands.filter((_, n) => n !== i))}
              >
                ×
              </Button>
            )}
          </div>
        );
      })}
      <Button
        size="small"
        aria-label={`${t("limits.addBand")} ${props.name}`}
        onClick={() => onChange([...bands.slice(0, -1), { belowUm: null, upToUm: 5, max: 0 }, ...bands.slice(-1)])}
      >
        {t("limits.addBand")}
      </Button>
    </>
  );
}
