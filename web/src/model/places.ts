/** Where a new step belongs in a recipe, and small changes to its steps. */
import type { Kind } from "./schema";
import type { Model, Step } from "./types";

/** Whether a kind of steps runs over the grid. */
export const isRun = (kind: Kind | undefined): boolean => kind?.changes === "grid";

/**
 * What new steps stand on: the kinds of steps that there are; how many steps could be applied, and how many
 * runs at their end nothing works on yet; of a lifted layout the plane's corner of each corner and its block of
 * each block; and whether what is on view, and so is meant, is the layout in space.
 */
export interface Ground {
  kinds: Map<string, Kind>;
  applied: number;
  runs: number;
  inSpace: boolean;
  corners: Map<string, string>;
  blocks: Map<string, string>;
}

export const groundOf = (
  kinds: Map<string, Kind>,
  model: Model | undefined,
  inSpace: boolean,
): Ground => ({
  kinds,
  applied: model?.steps.filter((step) => step.state === "ok").length ?? 0,
  runs: model?.smoothing ?? 0,
  inSpace: inSpace && model !== undefined,
  corners: new Map((model?.corners ?? []).flatMap(({ id, foot }) => (foot ? [[id, foot]] : []))),
  blocks: new Map((model?.blocks ?? []).flatMap(({ id, base }) => (base ? [[id, base]] : []))),
});

/** What a selector may name of a lifted layout. */
interface Named {
  ids?: string[];
  edges?: [string, string][];
  sides?: string[][];
  side?: string;
}

const footOf = (ground: Ground, corner: string): string => ground.corners.get(corner) ?? corner;
const feetUnder = (ground: Ground, corners: string[]): string[] => [
  ...new Set(corners.map((corner) => footOf(ground, corner))),
];

/**
 * Whether a step is about the way of a lift: an edge both ends of which stand on one corner of the
 * plane, or a side at the start or the end of the way.
 */
const alongLift = (step: Step, ground: Ground): boolean =>
  Object.values(step).some((value) => {
    const { edges = [], sides = [], side = "" } = (value ?? {}) as Named;
    return (
      edges.some(([a, b]) => footOf(ground, a) === footOf(ground, b)) ||
      sides.some((ids) => ids.length > 2 && feetUnder(ground, ids).length > 2) ||
      side.startsWith("z")
    );
  });

/** Gives a selector the plane's names for what it names of a lifted layout. */
function inPlane(value: unknown, ground: Ground): unknown {
  if (!value || typeof value !== "object" || Array.isArray(value)) return value;
  const { ids, edges, sides, ...rest } = value as Named;
  return {
    ...rest,
    ...(ids && { ids: [...new Set(ids.map((id) => ground.blocks.get(id) ?? footOf(ground, id)))] }),
    ...(edges && { edges: edges.map(([a, b]) => [footOf(ground, a), footOf(ground, b)]) }),
    ...(sides && { sides: sides.map((corners) => feetUnder(ground, corners)) }),
  };
}

/**
 * Puts a new step where it belongs, at most at `here`, or `late`: after the runs that are there, on the
 * smoothed grid. Before a lift it names the plane's own.
 */
export function placed(
  steps: Step[],
  step: Step,
  here: number,
  ground: Ground,
  late = false,
): Step[] {
  const at = placeFor(step, steps, here, ground, late);
  const isLift = (other: Step) => ground.kinds.get(other.kind)?.changes === "lift";
  const lifted = steps.slice(0, here).some(isLift) && !steps.slice(0, at).some(isLift);
  const named = Object.entries(step).map(([field, value]) => [field, inPlane(value, ground)]);
  return inserted(steps, lifted ? (Object.fromEntries(named) as Step) : step, at);
}

/** Gives the index at which a new step goes in, at most `here`. */
export function placeFor(
  step: Step,
  steps: Step[],
  here: number,
  ground: Ground,
  late = false,
): number {
  const { kinds, inSpace } = ground;
  const { kind } = step;
  const changes = (other: Step) => kinds.get(other.kind)?.changes;
  const before = (test: (step: Step, n: number) => boolean) => {
    const at = steps.findIndex(test);
    return at < 0 ? here : Math.min(at, here);
  };
  const isRun = (other: Step) => changes(other) === "grid";
  const isLift = (other: Step) => changes(other) === "lift";
  const ofPlane = !inSpace && before(isLift);
  if (kind === "unit") return 0;
  if (changes(step) === "guides") return before((other) => other.kind === "frame");
  // What is named in the end comes when all else is there.
  const named = kinds.get(kind)?.stage === "Hand-off";
  if (["blocks", "spacing"].includes(changes(step) ?? "") && !named) {
    if (late) return ofPlane === false ? here : ofPlane;
    // What earlier runs have given is worked on already: there is no going back before these.
    const runs = steps.flatMap((other, n) =>
      isRun(other) && n < Math.min(here, ground.applied) ? [n] : [],
    );
    const last = runs[runs.length - ground.runs - 1] ?? -1;
    const lift = alongLift(step, ground) ? steps.findIndex(isLift) : -1;
    return before((other, n) => isRun(other) && n > Math.max(lift, last));
  }
  // What is folded is untangled before anything else runs.
  const lifted = inSpace ? steps.findIndex(isLift) : -1;
  if (kind === "untangle")
    return before((other, n) => (isRun(other) && n > lifted) || (!inSpace && isLift(other)));
  if (isRun(step) && ofPlane !== false) return ofPlane;
  return here;
}

/** Whether a new step could stand before the runs that are there, and after them on the smoothed grid. */
export const couldBeLate = (step: Step, steps: Step[], here: number, ground: Ground): boolean =>
  placeFor(step, steps, here, ground) !== placeFor(step, steps, here, ground, true);

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
