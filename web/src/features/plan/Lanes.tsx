import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { Alert, Button, InputNumber, Segmented, Select } from "antd";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import { answered, http, type S } from "../../api/client";
import { Grid } from "../../ui/Parts";

const SIZES = [2, 8, 12, 16, 24];
const kinds: S["PolarityPart"][] = ["cord", "module", "trunk", "array-cord"];
const typesOf = (kind: S["PolarityPart"]): S["PolarityType"][] =>
  kind === "cord" ? ["A-to-B", "A-to-A"] : ["A", "B", "C"];

const PINS = ["unsaid", "none", "both", "near", "far"] as const;
const PINNED: Record<(typeof PINS)[number], { pinsNear: boolean | null; pinsFar: boolean | null }> = {
  unsaid: { pinsNear: null, pinsFar: null },
  none: { pinsNear: false, pinsFar: false },
  both: { pinsNear: true, pinsFar: true },
  near: { pinsNear: true, pinsFar: false },
  far: { pinsNear: false, pinsFar: true },
};
const pinsOf = (link: S["PolarityLink"]) =>
  PINS.find((p) => PINNED[p].pinsNear === (link.pinsNear ?? null) && PINNED[p].pinsFar === (link.pinsFar ?? null)) ??
  "unsaid";

const ways: Record<string, S["PolarityLink"][]> = {
  A: [
    { kind: "cord", type: "A-to-B" },
    { kind: "module", type: "A" },
    { kind: "trunk", type: "A" },
    { kind: "module", type: "A" },
    { kind: "cord", type: "A-to-A" },
  ],
  B: [
    { kind: "cord", type: "A-to-B" },
    { kind: "module", type: "A" },
    { kind: "trunk", type: "B" },
    { kind: "module", type: "B" },
    { kind: "cord", type: "A-to-B" },
  ],
  C: [
    { kind: "cord", type: "A-to-B" },
    { kind: "module", type: "A" },
    { kind: "trunk", type: "C" },
    { kind: "module", type: "A" },
    { kind: "cord", type: "A-to-B" },
  ],
};

/** A channel of the plan as parts of this proof. The plan does not say types: they begin as the usual ones. */
function partsOf(chain: S["Chain"], plan: S["JobDetail"]): { fibers: number; parts: S["PolarityLink"][] } {
  const fibersOf = (p: S["ChainPart"]) =>
    p.kind === "cable"
      ? plan.cables.find((c) => c.cableId === p.id)?.strandCount
      : p.kind === "module"
        ? plan.modules.find((m) => m.moduleId === p.id)?.fibers
        : plan.cords.find((c) => c.cordId === p.id)?.fibers;
  const arrays = chain.parts.map((p) => fibersOf(p) ?? 0).filter((n) => SIZES.includes(n));
  return {
    fibers: Math.max(2, ...(arrays.length > 0 ? [Math.min(...arrays.filter((n) => n > 2), 24)] : [])),
    parts: chain.parts.map((p): S["PolarityLink"] =>
      p.kind === "cable"
        ? { kind: "trunk", type: "A" }
        : p.kind === "module"
          ? { kind: "module", type: "A" }
          : (fibersOf(p) ?? 2) > 2
            ? { kind: "array-cord", type: "A" }
            : { kind: "cord", type: "A-to-B" },
    ),
  };
}

/** Whether transmit meets receive through a chain of cords, modules and trunks, drawn part by part. */
export function Lanes({ fibers: first, plan }: { fibers: number; plan: S["JobDetail"] }) {
  const { t } = useTranslation();
  const [open, setOpen] = useState(false);
  return (
    <section className="card" id="lanes">
      <details open={open} onToggle={(e) => setOpen(e.currentTarget.open)}>
        <summary>
          <h2 className="inline">{t("lanes.title")}</h2>
        </summary>
        {open && (
          <>
            <Chain first={first} plan={plan} />
            <Ports />
          </>
        )}
      </details>
    </section>
  );
}

function Chain({ first, plan }: { first: number; plan: S["JobDetail"] }) {
  const { t } = useTranslation();
  const [fibers, setFibers] = useState(first);
  const [chain, setChain] = useState<S["PolarityLink"][]>(ways.A ?? []);
  const [channel, setChannel] = useState<string>();
  const ask: S["PolarityAsk"] = { fibers, chain };
  const proof = useQuery({
    queryKey: ["polarity", ask],
    // The positions after each part are the answers to the chain up to it.
    queryFn: () =>
      Promise.all(
        chain.map((_, i) =>
          answered(http.POST("/api/calc/polarity", { body: { fibers, chain: chain.slice(0, i + 1) } })),
        ),
      ),
    enabled: chain.length > 0,
    placeholderData: keepPreviousData,
    retry: false,
  });
  const set = (i: number, link: S["PolarityLink"]) => setChain(chain.map((c, k) => (k === i ? link : c)));
  const whole = proof.data?.at(-1);
  const fits = proof.data?.length === chain.length && whole?.map.length === fibers;
  return (
    <>
      <p className="faint above">{t("lanes.text")}</p>
      <div className="row middle below">
        <Segmented
          aria-label={t("lanes.fibers")}
          options={SIZES.map((n) => ({ value: n, label: t("lanes.fibersOf", { count: n }) }))}
          value={fibers}
          onChange={(v) => setFibers(v as number)}
        />
        <span className="faint">{t("lanes.begin")}</span>
        {Object.entries(ways).map(([name, way]) => (
          <Button
            key={name}
            onClick={() => {
              setChain(way);
              setChannel(undefined);
            }}
          >
            {t("lanes.way", { name })}
          </Button>
        ))}
        {plan.chains.length > 0 && (
          <Select
            className="w-m"
            aria-label={t("lanes.channel")}
            placeholder={t("lanes.channel")}
            value={null}
            options={plan.chains.map((c) => ({ value: c.chainId, label: c.code }))}
            onChange={(id) => {
              const taken = plan.chains.find((c) => c.chainId === id);
              if (!taken) return;
              const { fibers, parts } = partsOf(taken, plan);
              setFibers(fibers);
              setChain(parts);
              setChannel(taken.code);
            }}
          />
        )}
      </div>
      {channel && <p className="tone-doubtful">{t("lanes.taken", { channel })}</p>}
      <ol className="chain">
        {chain.map((link, i) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: a part is its place in the chain
          <li key={`${i}${link.kind}`} className={fits && whole?.firstWrong === i ? "wrong" : undefined}>
            <Select
              aria-label={t("lanes.kindOf", { no: i + 1 })}
              className="w-m"
              value={link.kind}
              options={kinds.map((k) => ({ value: k, label: t(`lanes.kind.${k}`) }))}
              onChange={(kind) => set(i, { kind, type: typesOf(kind)[0] as S["PolarityType"] })}
            />
            <Select
              aria-label={t("lanes.typeOf", { no: i + 1 })}
              className="w-s"
              value={link.type}
              options={typesOf(link.kind).map((x) => ({ value: x, label: x }))}
              onChange={(type) => set(i, { ...link, type })}
            />
            {link.kind !== "cord" && (
              <Select
                aria-label={t("lanes.pinsOf", { no: i + 1 })}
                className="w-s"
                value={pinsOf(link)}
                options={(link.kind === "module" ? PINS.slice(0, 3) : PINS).map((p) => ({
                  value: p,
                  label: t(`lanes.pins.${p}`),
                }))}
                onChange={(p) => set(i, { ...link, ...PINNED[p] })}
              />
            )}
            {link.kind !== "cord" && (
              <Select
                aria-label={t("lanes.angleOf", { no: i + 1 })}
                className="w-s"
                value={link.angled == null ? "unsaid" : link.angled ? "angled" : "flat"}
                options={["unsaid", "flat", "angled"].map((a) => ({ value: a, label: t(`lanes.angle.${a}`) }))}
                onChange={(a) => set(i, { ...link, angled: a === "unsaid" ? null : a === "angled" })}
              />
            )}
            <Button
              aria-label={t("lanes.removeOf", { no: i + 1 })}
              onClick={() => setChain(chain.filter((_, k) => k !== i))}
            >
              ×
            </Button>
          </li>
        ))}
      </ol>
      <Button onClick={() => setChain([...chain, { kind: "trunk", type: "B" }])}>{t("lanes.add")}</Button>
      {fits && whole && (
        <>
          <Alert
            className="above"
            type={whole.duplexOk ? "success" : "error"}
            showIcon
            title={
              whole.duplexOk
                ? t("lanes.meets")
                : t("lanes.misses", {
                    no: (whole.firstWrong ?? 0) + 1,
                    part: t(`lanes.kind.${chain[whole.firstWrong ?? 0]?.kind}`),
                  })
            }
            description={whole.arrayOk ? t("lanes.arrayOk") : undefined}
          />
          {whole.joints.map((j) => (
            <Alert
              key={`${j.part}${j.fault}`}
              className="above"
              type="error"
              showIcon
              title={t(`lanes.joint.${j.fault}`, { left: j.part + 1, right: j.part + 2 })}
            />
          ))}
          <LaneDrawing
            fibers={fibers}
            chain={chain}
            maps={proof.data?.map((p) => p.map) ?? []}
            wrong={whole.firstWrong}
          />
        </>
      )}
    </>
  );
}

const [STEP, COL, EDGE] = [18, 120, 34];

/** Each fiber as a line from part to part; the first pair stands out. */
function LaneDrawing(props: { fibers: number; chain: S["PolarityLink"][]; maps: number[][]; wrong: number | null }) {
  const { t } = useTranslation();
  const { fibers, chain, maps } = props;
  const [width, height] = [2 * EDGE + chain.length * COL, fibers * STEP + 44];
  const y = (at: number) => 26 + (at - 0.5) * STEP;
  const at = (i: number, k: number) => (i === 0 ? k + 1 : (maps[i - 1]?.[k] ?? k + 1));
  const fiber = [...Array(fibers).keys()];
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: a box that scrolls has to be reached to be scrolled
    <div className="scroll above" tabIndex={0}>
      <svg
        width={width}
        height={height}
        viewBox={`0 0 ${width} ${height}`}
        role="img"
        aria-label={t("lanes.drawing")}
        className="lanes"
      >
        {chain.map((link, i) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: a part is its place in the chain
          <g key={`${i}${link.kind}`}>
            <rect
              x={EDGE + i * COL + 10}
              width={COL - 20}
              y={20}
              height={fibers * STEP + 8}
              rx={4}
              className={props.wrong === i ? "part wrong" : "part"}
            />
            <text x={EDGE + (i + 0.5) * COL} y={13} textAnchor="middle">
              {t(`lanes.kind.${link.kind}`)} {link.type}
            </text>
          </g>
        ))}
        {fiber.map((k) => (
          <path
            key={k}
            className={k < 2 ? "lane first" : "lane"}
            strokeDasharray={k % 2 === 0 ? undefined : "5 3"}
            d={`M${EDGE} ${y(at(0, k))}${chain
              .map((_, i) => `L${EDGE + i * COL + 10} ${y(at(i, k))}L${EDGE + (i + 1) * COL - 10} ${y(at(i + 1, k))}`)
              .join("")}L${EDGE + chain.length * COL} ${y(at(chain.length, k))}`}
          />
        ))}
        {fiber.map((k) => (
          <g key={k}>
            <text x={EDGE - 6} y={y(k + 1) + 4} textAnchor="end">
              {end(k + 1)}
            </text>
            <text x={EDGE + chain.length * COL + 6} y={y(k + 1) + 4}>
              {end(k + 1)}
            </text>
          </g>
        ))}
      </svg>
      <p className="faint">{t("lanes.legend")}</p>
    </div>
  );
}

/** Transmit on the odd ones of a pair, receive on the even ones. */
const end = (position: number) => `${position}${position % 2 === 1 ? "T" : "R"}`;

const SCHEMES: S["PairScheme"][] = ["straight", "consecutive-fiber", "reverse-pair"];

/** Which strand lies on which duplex port and position, at both ends. */
function Ports() {
  const { t } = useTranslation();
  const [scheme, setScheme] = useState<S["PairScheme"]>("consecutive-fiber");
  const [strands, setStrands] = useState(12);
  const map = useQuery({
    queryKey: ["ports", strands, scheme],
    queryFn: () => answered(http.POST("/api/calc/ports", { body: { strands, scheme } })),
    placeholderData: keepPreviousData,
    retry: false,
  });
  const side = (places: S["PortPlace"][], port: number) =>
    (["A", "B"] as const).map((position) => {
      const at = places.find((p) => p.port === port && p.position === position);
      return `${position} ${at ? t("lanes.strandAt", { strand: at.strand }) : "–"}`;
    });
  return (
    <>
      <h3>{t("lanes.ports")}</h3>
      <div className="row middle below">
        <Segmented
          aria-label={t("lanes.scheme")}
          options={SCHEMES.map((s) => ({ value: s, label: t(`lanes.schemes.${s}`) }))}
          value={scheme}
          onChange={(v) => setScheme(v as S["PairScheme"])}
        />
        <InputNumber
          aria-label={t("lanes.strands")}
          className="w-xs"
          min={2}
          max={288}
          step={2}
          value={strands}
          onChange={(v) => v !== null && setStrands(v)}
        />
      </div>
      {map.data && (
        <>
          <p className={map.data.meets ? undefined : "tone-doubtful"}>
            {t(map.data.meets ? "lanes.portsMeet" : "lanes.portsMiss")}
          </p>
          <Grid
            rowKey={(port) => `${port}`}
            rows={[...new Set(map.data.near.map((p) => p.port))]}
            columns={[
              { title: t("lanes.port"), right: true, render: (port) => port },
              { title: t("lanes.near"), render: (port) => side(map.data.near, port).join(", ") },
              { title: t("lanes.far"), render: (port) => side(map.data.far, port).join(", ") },
            ]}
          />
        </>
      )}
    </>
  );
}
