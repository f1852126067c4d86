/** Sections as they are moved and told: planes, cylinders and spheres, each with one number that moves it. */
import type { Section } from "../model/types";

export type SectionKind = "x" | "y" | "z" | "three" | "guide" | "cylinder" | "sphere";

export const WORDS: Record<SectionKind, string> = {
  x: "Plane at x",
  y: "Plane at y",
  z: "Plane at z",
  three: "Plane by three places",
  guide: "Plane square to a guide",
  cylinder: "Cylinder",
  sphere: "Sphere",
};
export const KINDS = Object.keys(WORDS) as SectionKind[];
/** The share of its way that a key moves a section by, and one with Shift. */
export const [STEP, FAR] = [0.01, 0.1] as const;
const AXES: SectionKind[] = ["x", "y", "z"];
type Three = [number, number, number];

/** The box that a grid lies in. */
export interface Box {
  low: Three;
  high: Three;
}

export const across = ({ low, high }: Box): number =>
  Math.hypot(...high.map((v, n) => v - (low[n] ?? 0)));

const unit = (axis: number): Three => [0, 1, 2].map((n) => (n === axis ? 1 : 0)) as Three;
const middle = ({ low, high }: Box): Three => low.map((v, n) => (v + (high[n] ?? 0)) / 2) as Three;
const axisOf = (section: Section): number => section.axis?.indexOf(1) ?? -1;

/** What a section is, as it was begun. */
export function kindOf(section: Section): SectionKind {
  if (section.kind !== "plane") return section.kind;
  if (section.through) return "three";
  return section.guide ? "guide" : (AXES[axisOf(section)] ?? "x");
}

/** Begins a section in the middle of a grid. */
export function begun(kind: SectionKind, box: Box, guides: string[]): Section {
  const base: Section = {
    kind: "plane",
    point: null,
    axis: null,
    through: null,
    guide: "",
    at: 0.5,
    radius: 0,
    moved: 0,
    whole: false,
    shown: true,
  };
  const at = middle(box);
  const axis = AXES.indexOf(kind);
  if (axis >= 0) {
    const point = unit(axis).map((v, n) => v * (at[n] ?? 0)) as Three;
    return { ...base, point, axis: unit(axis) };
  }
  if (kind === "three") {
    const [x = 0, y = 0, z = 0] = at;
    const [, , top] = box.high;
    return { ...base, through: [at, [box.high[0], y, z], [x, box.high[1], top]] };
  }
  if (kind === "guide") return { ...base, guide: guides[0] ?? "" };
  const radius = across(box) / 8;
  return kind === "sphere"
    ? { ...base, kind, point: at, radius }
    : { ...base, kind: "cylinder", point: at, axis: unit(2), radius };
}

/** The number that moves a section: a coordinate, a share of a guide, a radius, or how far it was moved. */
export function position(section: Section): number {
  const kind = kindOf(section);
  if (kind === "guide") return section.at;
  if (kind === "three") return section.moved;
  if (kind === "cylinder" || kind === "sphere") return section.radius;
  return section.point?.[axisOf(section)] ?? 0;
}

/** From where to where a section can be moved by its slider. */
export function range(section: Section, box: Box): [number, number] {
  const kind = kindOf(section);
  if (kind === "guide") return [0, 1];
  const reach = across(box);
  if (kind === "three") return [-reach / 2, reach / 2];
  if (kind === "cylinder" || kind === "sphere") return [reach / 1000, reach / 2];
  const axis = axisOf(section);
  return [box.low[axis] ?? 0, box.high[axis] ?? 1];
}

/** A section at another place. */
export function movedTo(section: Section, value: number): Section {
  const kind = kindOf(section);
  if (kind === "guide") return { ...section, at: Math.min(Math.max(value, 0), 1) };
  if (kind === "three") return { ...section, moved: value };
  if (kind === "cylinder" || kind === "sphere") return { ...section, radius: value };
  return { ...section, point: (section.axis ?? unit(0)).map((v) => v * value) as Three };
}

/** A section a share of its way further; beyond the end it begins anew where it ``turns``. */
export function further(section: Section, box: Box, share: number, turns = false): Section {
  const [low, high] = range(section, box);
  const next = position(section) + share * (high - low);
  if (turns && next > high) return movedTo(section, low);
  return movedTo(section, Math.min(Math.max(next, low), high));
}
