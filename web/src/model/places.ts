/** Where a new step belongs in a recipe, and small changes to its steps. */
import type { Step } from "../api/client";

/** Steps that change the plane's layout or spacing: they must stand before smoothing. */
const PLANE = new Set([
  "frame", "block", "bring-layout", "cut", "merge", "hollow", "bring-back", "zip", "pinch", "three",
  "ring", "butterfly", "refine", "grow", "pin", "slide", "follow", "bend", "align", "fit-near",
  "place", "twin", "count", "space", "turn", "copy", "blend", "wall-layer", "wanted-size", "budget",
  "factor", "multiples", "release", "name-tier",
]); // biome-ignore format: a table reads better in rows

/** Steps that change guides: they must stand before the blocks that follow these. */
const GUIDES = new Set(["move", "rename", "leave-out", "sew"]);

/** Steps that lift the plane into space. */
const LIFTS = new Set(["extrude", "revolve", "sweep"]);

const foot = (corner: string): string => corner.split(".")[0] as string;
const height = (corner: string): string => corner.slice(foot(corner).length);

/** What a selector may name of a lifted layout. */
interface Named {
  edges?: [string, string][];
  sides?: string[][];
  side?: string;
}

/**
 * Whether a step is about the way of a lift: an edge both ends of which stand on one corner of the
 * plane, or a side at the start or the end of the way.
 */
const alongLift = (step: Step): boolean =>
  Object.values(step).some((value) => {
    const { edges = [], sides = [], side = "" } = (value ?? {}) as Named;
    return (
      edges.some(([a, b]) => foot(a) === foot(b)) ||
      sides.some(([a = "", ...rest]) => height(a) && rest.every((c) => height(c) === height(a))) ||
      side.startsWith("z")
    );
  });

/** Gives the index at which a new step goes in, at most `here`. */
export function placeFor(step: Step, steps: Step[], here: number): number {
  const { kind } = step;
  const before = (test: (step: Step) => boolean) => {
    const at = steps.findIndex(test);
    return at < 0 ? here : Math.min(at, here);
  };
  if (kind === "unit") return 0;
  if (GUIDES.has(kind)) return before((other) => other.kind === "frame");
  if (PLANE.has(kind) && !alongLift(step)) return before((other) => other.kind === "smooth");
  if (kind === "smooth") return before((other) => LIFTS.has(other.kind));
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
