/** Changes of steps that set a tier: in the step that did so last, or by a new one. */

import { freshId, type Ground, placed, removed, replaced } from "./places";
import { edgeId, sameEdge } from "./selection";
import type { Step, Tier } from "./types";

const SETS = new Set(["count", "release"]);

/** Whether a step names a tier by one of its edges. */
function isOf(step: Step, tier: Tier): boolean {
  const named = (step.tier as { edges?: [string, string][] } | undefined)?.edges?.[0];
  return named !== undefined && tier.edges.some((edge) => sameEdge(edgeId(edge), edgeId(named)));
}

/** Puts a new step about a tier where it belongs; `here` is where the recipe is looked at. */
function added(
  steps: Step[],
  tier: Tier,
  kind: string,
  values: Record<string, unknown>,
  here: number | null,
  ground: Ground,
): Step[] {
  const step = { kind, id: freshId(kind, steps), tier: { edges: [tier.edges[0]] }, ...values };
  return placed(steps, step, here ?? steps.length, ground);
}

export function withCount(
  steps: Step[],
  tier: Tier,
  cells: number,
  here: number | null,
  ground: Ground,
): Step[] {
  // A count may have been set since the tier was last told; one that was released since is no more.
  const last = steps.findLast((step) => SETS.has(step.kind) && isOf(step, tier));
  const setter =
    steps.find((step) => step.id === tier.count_step) ??
    (last?.kind === "count" ? last : undefined);
  return setter && typeof setter.cells === "number"
    ? replaced(steps, { ...setter, cells })
    : added(steps, tier, "count", { cells }, here, ground);
}

/** Lets a tier's count be derived again. */
export function released(steps: Step[], tier: Tier, here: number | null, ground: Ground): Step[] {
  const setter = steps.find((step) => step.id === tier.count_step);
  return setter?.kind === "count"
    ? removed(steps, setter.id)
    : added(steps, tier, "release", {}, here, ground);
}

export function withName(
  steps: Step[],
  tier: Tier,
  name: string,
  here: number | null,
  ground: Ground,
): Step[] {
  const setter = steps.find((step) => step.id === tier.name_step);
  return setter
    ? replaced(steps, { ...setter, name })
    : added(steps, tier, "name-tier", { name }, here, ground);
}
