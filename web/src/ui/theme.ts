import { type ThemeConfig, theme } from "antd";

export type Look = "light" | "dark";

type Palette = Record<
  | "ground"
  | "panel"
  | "raised"
  | "ink"
  | "faint"
  | "line"
  | "accent"
  | "onAccent"
  | "good"
  | "doubt"
  | "bad"
  | "strandEdge"
  | "band"
  | "onPicture"
  | "underPicture"
  | "onPictureBad",
  string
>;

/** Every colour of the interface. Office light is paper and sea-green; the closet is near-black with a lamp's amber. */
export const palette: Record<Look, Palette> = {
  light: {
    ground: "#f3efe6",
    panel: "#fffdf8",
    raised: "#e9e3d5",
    ink: "#1c2a2d",
    faint: "#55625f",
    line: "#cfc7b5",
    accent: "#0d5b60",
    onAccent: "#ffffff",
    good: "#1f6b3a",
    doubt: "#8a5200",
    bad: "#a3271d",
    strandEdge: "#3b4648",
    band: "#ece6d8",
    // A picture is grey in either theme; what is drawn on it must stand out of grey.
    onPicture: "#35e0d2",
    underPicture: "#0c1214",
    onPictureBad: "#ffb02e",
  },
  dark: {
    ground: "#0c1214",
    panel: "#141d20",
    raised: "#1f2b2f",
    ink: "#eef2ea",
    faint: "#a9b5b1",
    line: "#36454a",
    accent: "#f0b34a",
    onAccent: "#1a1306",
    good: "#7fd197",
    doubt: "#ffc266",
    bad: "#ff8f80",
    strandEdge: "#c9d2cf",
    band: "#182326",
    onPicture: "#35e0d2",
    underPicture: "#0c1214",
    onPictureBad: "#ffb02e",
  },
};

/** Strand colours of the standard, as paint; white, slate and black are told apart by the edge around each line. */
export const strandPaint: Record<string, string> = {
  blue: "#1f5fd0",
  orange: "#f07d1a",
  green: "#1f9a48",
  brown: "#7b4a26",
  slate: "#7d8790",
  white: "#ffffff",
  red: "#d62a2a",
  black: "#15181a",
  yellow: "#f2cf1d",
  violet: "#7d3fb5",
  rose: "#f28fae",
  aqua: "#33c5c9",
};

const family = '"Atkinson Hyperlegible Next Variable", system-ui, sans-serif';

export function antdTheme(look: Look): ThemeConfig {
  const p = palette[look];
  return {
    algorithm: look === "dark" ? theme.darkAlgorithm : theme.defaultAlgorithm,
    token: {
      fontFamily: family,
      fontSize: 16,
      borderRadius: 4,
      controlHeight: 40,
      controlHeightLG: 52,
      colorPrimary: p.accent,
      colorInfo: p.accent,
      colorLink: p.accent,
      colorTextLightSolid: p.onAccent,
      colorBgBase: p.ground,
      colorBgLayout: p.ground,
      colorBgContainer: p.panel,
      colorBgElevated: p.panel,
      colorText: p.ink,
      colorTextSecondary: p.faint,
      colorTextTertiary: p.faint,
      colorTextPlaceholder: p.faint,
      colorTextDescription: p.faint,
      colorBorder: p.line,
      colorSuccess: p.good,
      colorWarning: p.doubt,
      colorError: p.bad,
      // Who asks their device for less motion gets none.
      motion: !globalThis.matchMedia?.("(prefers-reduced-motion: reduce)").matches,
      motionDurationMid: "0.1s",
      motionDurationSlow: "0.15s",
    },
    components: {
      Segmented: {
        itemSelectedBg: p.accent,
        itemSelectedColor: p.onAccent,
        trackBg: p.raised,
        itemColor: p.ink,
        itemHoverColor: p.ink,
      },
      Table: { headerBg: p.raised, headerColor: p.ink },
    },
  };
}

/** The same colours for drawings and the page's own styles. */
export function applyPalette(look: Look) {
  const root = document.documentElement;
  root.dataset.look = look;
  for (const [name, value] of Object.entries(palette[look])) root.style.setProperty(`--${name}`, value);
}
