import { createSystem, defaultConfig, defineConfig } from "@chakra-ui/react";

const value = (text: string) => ({ value: text });

/** Nibble's look: a print shop. Liner paper, a grey-green mat, ink, and marigold for the thing in hand. */
export const system = createSystem(
  defaultConfig,
  defineConfig({
    cssVarsPrefix: "nb",
    globalCss: {
      "html, body, #root": { height: "100%" },
      body: {
        background: "paper",
        color: "ink",
        fontFamily: "body",
        fontSize: "15px",
        lineHeight: "1.45",
        fontVariantNumeric: "tabular-nums",
        overflowX: "hidden",
      },
      "*:focus-visible": {
        outline: "2px solid {colors.ink}",
        outlineOffset: "1px",
        boxShadow: "0 0 0 5px {colors.marigold.halo}",
      },
      "*, *::before, *::after": {
        "@media (prefers-reduced-motion: reduce)": {
          animation: "none !important",
          transition: "none !important",
        },
      },
    },
    theme: {
      tokens: {
        fonts: {
          body: value("Barlow, sans-serif"),
          heading: value("'Barlow Condensed', Barlow, sans-serif"),
          condensed: value("'Barlow Condensed', Barlow, sans-serif"),
        },
        colors: {
          ink: { DEFAULT: value("#1E2A2E"), soft: value("#55635F"), faint: value("#6B7671") },
          paper: { DEFAULT: value("#FBFAF5"), warm: value("#F4F2EA"), white: value("#FFFFFF") },
          mat: { DEFAULT: value("#C5D0C8"), light: value("#DCE3DD"), pale: value("#EDF2ED") },
          hair: { DEFAULT: value("#DAD8CC"), soft: value("#E6E3D8"), strong: value("#9D9A88") },
          marigold: {
            DEFAULT: value("#E9A50C"),
            pale: value("#FFE7A8"),
            note: value("#FFF3D2"),
            dark: value("#8A5F00"),
            halo: value("rgba(233,165,12,0.75)"),
          },
          fine: value("#2F6B42"),
          blocked: value("#8C2F1B"),
        },
        radii: { slip: value("4px"), card: value("6px") },
      },
      semanticTokens: {
        radii: { l1: value("3px"), l2: value("4px"), l3: value("6px") },
        colors: {
          bg: {
            DEFAULT: value("{colors.paper}"),
            subtle: value("{colors.paper.warm}"),
            muted: value("{colors.hair.soft}"),
          },
          fg: {
            DEFAULT: value("{colors.ink}"),
            muted: value("{colors.ink.soft}"),
            subtle: value("{colors.ink.faint}"),
          },
          border: { DEFAULT: value("{colors.hair}"), muted: value("{colors.hair.soft}") },
        },
      },
    },
  }),
);
