import { type Range, shareOf } from "../model/colouring";
/** The colours of Plodek, light and dark; the interface and the view read them from here. */
export interface Palette {
  paper: string;
  card: string;
  ink: string;
  muted: string;
  rule: string;
  ochre: string;
  ochreSoft: string;
  rust: string;
  teal: string;
  tealSoft: string;
  plum: string;
  plumSoft: string;
  madder: string;
  madderSoft: string;
  bar: string;
  barText: string;
  barMuted: string;
}

export const LIGHT: Palette = {
  paper: "#f4f0e6",
  card: "#fffdf8",
  ink: "#22303c",
  muted: "#5f6972",
  rule: "#d9d2c1",
  ochre: "#c8912e",
  ochreSoft: "#fbefd9",
  rust: "#b2502b",
  teal: "#1f6b70",
  tealSoft: "#e9f0ee",
  plum: "#6b4a7a",
  plumSoft: "#f3edf5",
  madder: "#a3243b",
  madderSoft: "#fbeaec",
  bar: "#22303c",
  barText: "#fffdf8",
  barMuted: "#aeb8bf",
};

export const DARK: Palette = {
  paper: "#1b242c",
  card: "#232e38",
  ink: "#ece5d5",
  muted: "#a5aeb4",
  rule: "#3d4953",
  ochre: "#d9a343",
  ochreSoft: "#443820",
  rust: "#b95833",
  teal: "#5bb3b6",
  tealSoft: "#22393c",
  plum: "#bd9acb",
  plumSoft: "#382f40",
  madder: "#ee7c8d",
  madderSoft: "#452a31",
  bar: "#11181e",
  barText: "#ece5d5",
  barMuted: "#9aa5ad",
};

/** A qualitative set that colour-blind eyes tell apart (after Okabe & Ito), for tiers and patches. */
export const SET = [
  "#4f8fc0",
  "#1f6b70",
  "#6b4a7a",
  "#8a6a4a",
  "#c8912e",
  "#b2502b",
  "#5a7d3c",
  "#9a5b7f",
  "#47616f",
  "#7f7a2c",
];

/** The names of these colours in recipes, in the same order. */
const NAMES = ["blue", "teal", "plum", "brown", "ochre", "rust", "green", "rose", "slate", "olive"];

/** The colour that a name in a recipe means. */
export const groupColour = (name: string): string => SET[NAMES.indexOf(name)] ?? (SET[1] as string);

/** Gives the colour of each guide: that of the last group it is in, teal without one. */
export function guideColours(
  groups: readonly { colour: string; members: string[] }[],
  palette: Palette,
): (name: string) => string {
  const found = new Map<string, string>();
  for (const group of groups) {
    const colour = groupColour(group.colour);
    for (const member of group.members) found.set(member, colour);
  }
  return (name) => found.get(name) ?? palette.teal;
}

export const tone = (index: number): string => SET[index % SET.length] as string;

/** Cividis at five places, from bad (dark) to good (light). */
const CIVIDIS = ["#00224e", "#434e6c", "#7d7c78", "#bcae6c", "#fee838"].map((hex) => [
  Number.parseInt(hex.slice(1, 3), 16) / 255,
  Number.parseInt(hex.slice(3, 5), 16) / 255,
  Number.parseInt(hex.slice(5, 7), 16) / 255,
]);

/** Gives the red, green and blue (0 to 1) of a share from 0, the worst, to 1, the best. */
export function cividis(share: number): [number, number, number] {
  const at = Math.min(Math.max(Number.isFinite(share) ? share : 0, 0), 1) * (CIVIDIS.length - 1);
  const low = Math.min(Math.floor(at), CIVIDIS.length - 2);
  const [a, b] = [CIVIDIS[low] as number[], CIVIDIS[low + 1] as number[]];
  const mix = (n: number) => (a[n] as number) + (at - low) * ((b[n] as number) - (a[n] as number));
  return [mix(0), mix(1), mix(2)];
}

/** Gives the colour of a value, as red, green and blue up to 1; none for a value that is not there. */
export const colourOf = (value: number, range: Range): [number, number, number] | null =>
  Number.isNaN(value) ? null : cividis(shareOf(value, range));
