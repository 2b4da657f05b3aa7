/** Colours and the component library's theme. */
import { theme as antd, type ThemeConfig } from "antd";

export const colour = {
  ground: "#121414",
  surround: "#2c2c2c",
  panel: "#1e2020",
  raised: "#262929",
  line: "#343838",
  text: "#e8e5dd",
  quiet: "#a3aba6",
  verdigris: "#62b5a3",
  copper: "#d18c5c",
  ivory: "#f4ecda",
  dark: "#121414",
};

// Whoever asks their system for less movement gets none.
const calm = typeof window.matchMedia === "function" && window.matchMedia("(prefers-reduced-motion: reduce)").matches;

export const theme: ThemeConfig = {
  algorithm: antd.darkAlgorithm,
  token: {
    motion: !calm,
    colorPrimary: colour.verdigris,
    colorInfo: colour.verdigris,
    colorWarning: colour.copper,
    colorError: "#e08a72",
    colorBgBase: colour.ground,
    colorBgContainer: colour.raised,
    colorBgElevated: "#2a2d2d",
    colorBorder: "#454a4a",
    colorText: colour.text,
    colorTextSecondary: colour.quiet,
    colorTextDescription: colour.quiet,
    colorTextPlaceholder: "#8b938e",
    colorTextLightSolid: colour.dark,
    borderRadius: 6,
    fontFamily: '"Instrument Sans Variable", sans-serif',
    fontFamilyCode: '"JetBrains Mono Variable", monospace',
    fontSize: 13,
    motionDurationMid: "0.12s",
    motionDurationSlow: "0.16s",
  },
  components: {
    Button: { primaryShadow: "none", defaultShadow: "none", fontWeight: 500 },
    Table: { cellPaddingBlockSM: 3, cellPaddingInlineSM: 6 },
    Tooltip: { colorBgSpotlight: "#353939", colorTextLightSolid: colour.text },
  },
};
