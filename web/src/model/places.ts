/** Where a new step belongs in a recipe, and small changes to its steps. */
import type { Model, Step } from "./types";

/** Steps that change the plane's layout or spacing: they must stand before smoothing. */
const PLANE = new Set([
  "frame", "block", "bring-layout", "cut", "merge", "hollow", "bring-back", "zip", "pinch", "three",
  "ring", "butterfly", "refine", "grow", "pin", "slide", "follow", "bend", "align", "fit-near",
  "place", "twin", "count", "space", "turn", "copy", "blend", "wall-layer", "wanted-size", "budget",
  "factor", "multiples", "release", "name-tier",
]); // biome-ignore format: a table reads better in rows

/** Steps that change guides: they must stand before the blocks that follow these. */
const GUIDES = new Set(["move", "rename", "leave-out", "sew"]);

/** Steps that run over the grid. */
export const RUNS: ReadonlySet<string> = new Set(["smooth", "untangle", "polish"]);

/** Steps that lift the plane into space. */
const LIFTS = new Set(["extrude", "revolve", "sweep"]);

/**
 * What a lifted layout stands on: the plane's corner of each corner, its block of each block; and whether
 * what is on view, and so is meant, is the layout in space.
 */
export interface Feet {
  inSpace: boolean;
  corners: Map<string, string>;
  blocks: Map<string, string>;
}

export const FLAT: Feet = { inSpace: false, corners: new Map(), blocks: new Map() };

export const feetOf = (model: Model, inSpace: boolean): Feet => ({
  inSpace,
  corners: new Map(model.corners.flatMap(({ id, foot }) => (foot ? [[id, foot]] : []))),
  blocks: new Map(model.blocks.flatMap(({ id, base }) => (base ? [[id, base]] : []))),
});

/** What a selector may name of a lifted layout. */
interface Named {
  ids?: string[];
  edges?: [string, string][];
  sides?: string[][];
  side?: string;
}

const footOf = (feet: Feet, corner: string): string => feet.corners.get(corner) ?? corner;
const feetUnder = (feet: Feet, corners: string[]): string[] => [
  ...new Set(corners.map((corner) => footOf(feet, corner))),
];

/**
 * Whether a step is about the way of a lift: an edge both ends of which stand on one corner of the
 * plane, or a side at the start or the end of the way.
 */
const alongLift = (step: Step, feet: Feet): boolean =>
  Object.values(step).some((value) => {
    const { edges = [], sides = [], side = "" } = (value ?? {}) as Named;
    return (
      edges.some(([a, b]) => footOf(feet, a) === footOf(feet, b)) ||
      sides.some((ids) => ids.length > 2 && feetUnder(feet, ids).length > 2) ||
      side.startsWith("z")
    );
  });

/** Gives a selector the plane's names for what it names of a lifted layout. */
function inPlane(value: unknown, feet: Feet): unknown {
  if (!value || typeof value !== "object" || Array.isArray(value)) return value;
  const { ids, edges, sides, ...rest } = value as Named;
  return {
    ...rest,
    ...(ids && { ids: [...new Set(ids.map((id) => feet.blocks.get(id) ?? footOf(feet, id)))] }),
    ...(edges && { edges: edges.map(([a, b]) => [footOf(feet, a), footOf(feet, b)]) }),
    ...(sides && { sides: sides.map((corners) => feetUnder(feet, corners)) }),
  };
}

const LIFTED = (other: Step) => LIFTS.has(other.kind);

/** Puts a new step where it belongs, at most at `here`; before a lift it names the plane's own. */
export function placed(steps: Step[], step: Step, here: number, feet: Feet): Step[] {
  const at = placeFor(step, steps, here, feet);
  const lifted = steps.slice(0, here).some(LIFTED) && !steps.slice(0, at).some(LIFTED);
  const named = Object.entries(step).map(([field, value]) => [field, inPlane(value, feet)]);
  return inserted(steps, lifted ? (Object.fromEntries(named) as Step) : step, at);
}

/** Gives the index at which a new step goes in, at most `here`. */
export function placeFor(step: Step, steps: Step[], here: number, feet: Feet): number {
  const { kind } = step;
  const before = (test: (step: Step, n: number) => boolean) => {
    const at = steps.findIndex(test);
    return at < 0 ? here : Math.min(at, here);
  };
  if (kind === "unit") return 0;
  if (GUIDES.has(kind)) return before((other) => other.kind === "frame");
  if (PLANE.has(kind)) {
    const lift = alongLift(step, feet) ? steps.findIndex(LIFTED) : -1;
    return before((other, n) => RUNS.has(other.kind) && n > lift);
  }
  // What is folded is untangled before anything else runs.
  const lifted = feet.inSpace ? steps.findIndex(LIFTED) : -1;
  if (kind === "untangle")
    return before(
      (other, n) => (RUNS.has(other.kind) && n > lifted) || (!feet.inSpace && LIFTED(other)),
    );
  if (RUNS.has(kind) && !feet.inSpace) return before(LIFTED);
  return here;
}

/** Makes an id for a new step: its kind and the first free number. */
export function freshId(kind: string, steps: Step[]): string {
  const taken = new Set(steps.map((step) => step.id));
  for (let n = 1; ; n++) if (!taken.has(`${kind}-${n}`)) return `${kind}-${n}`;
}

export const inserted = (steps: Step[], step: Step, at: number): Step[] => [
  ...steps.slice(0, at),
  step,
  ...steps.slice(at),
];

export const replaced = (steps: Step[], step: Step): Step[] =>
  steps.map((old) => (old.id === step.id ? step : old));

export const removed = (steps: Step[], id: string): Step[] => steps.filter((s) => s.id !== id);

/** Moves a step by one place up (-1) or down (1). */
export function moved(steps: Step[], id: string, by: number): Step[] {
  const from = steps.findIndex((step) => step.id === id);
  const to = from + by;
  const step = steps[from];
  if (!step || to < 0 || to >= steps.length) return steps;
  return inserted(removed(steps, id), step, to);
}
