import { createSystem, defaultConfig, defineConfig } from "@chakra-ui/react";
import { DARK, LIGHT, type Palette } from "./palette";

const names = Object.keys(LIGHT) as (keyof Palette)[];
const colors = Object.fromEntries(
  names.map((name) => [name, { value: { _light: LIGHT[name], _dark: DARK[name] } }]),
);

const config = defineConfig({
  theme: {
    tokens: {
      fonts: {
        body: { value: "'IBM Plex Sans', sans-serif" },
        heading: { value: "'IBM Plex Sans', sans-serif" },
        mono: { value: "'IBM Plex Mono', monospace" },
      },
    },
    semanticTokens: { colors },
  },
  globalCss: {
    "html, body, #root": { height: "100%", overflow: "hidden" },
    body: { bg: "paper", color: "ink", fontSize: "13px", lineHeight: "1.4" },
    "*:focus-visible": { outline: "2px solid", outlineColor: "ochre", outlineOffset: "1px" },
  },
});

export const system = createSystem(defaultConfig, config);
