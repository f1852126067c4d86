/** Measurements: what can be measured, and results as text. */

import { short } from "./numbers";
import type { Measured } from "./types";

export type Wish = "place" | "distance" | "angle" | "length" | "area" | "radius" | "extent";

/** What each measurement needs, in words. */
export const WISHES: { wish: Wish; needs: string }[] = [
  { wish: "distance", needs: "two places or guides" },
  { wish: "place", needs: "a place or a point" },
  { wish: "angle", needs: "three places, or two curves" },
  { wish: "length", needs: "curves" },
  { wish: "area", needs: "surfaces" },
  { wish: "radius", needs: "a curve or surface, perhaps a place on it" },
  { wish: "extent", needs: "guides" },
];

export interface Measurement {
  id: number;
  wish: Wish;
  of: string;
  unit: string;
  result: Measured;
}

const POWERS = ["", "", "²", "³"];

/** A value with its unit, with six digits. */
export const valueWithUnit = (value: number, power: number | null, unit: string): string =>
  power === null ? `${short(value, 6)}°` : `${short(value, 6)} ${unit}${POWERS[power] ?? ""}`;

/** The values of a measurement; what is round-off beside the largest is 0. */
export function valuesOf({ result }: Measurement): Measured["values"] {
  const largest = Math.max(...result.values.map((v) => (v.power === null ? 0 : Math.abs(v.value))));
  return result.values.map((v) =>
    v.power !== null && Math.abs(v.value) < 1e-12 * largest ? { ...v, value: 0 } : v,
  );
}

/** A measurement as text, to be copied. */
export const asText = (one: Measurement): string =>
  [
    `${one.wish} of ${one.of}`,
    ...valuesOf(one).map((v) => `${v.name}: ${valueWithUnit(v.value, v.power, one.unit)}`),
  ].join("\n");
