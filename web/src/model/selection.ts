/** What is in hand, and how it becomes a selector of a step. */
import type { Widget } from "./schema";

export type Taken = "corner" | "edge" | "block" | "side" | "guide";

export interface Selection {
  kind: Taken;
  /** Corner and block ids; edges as "a|b"; sides as "a|b|c|d"; guides by name. */
  ids: string[];
}

export const NOTHING: Selection = { kind: "edge", ids: [] };

/** The corners of an edge or a side by its id: here alone ids are put together and taken apart. */
export const cornersOf = (id: string): string[] => id.split("|");
export const idOf = (corners: readonly string[]): string => corners.join("|");
export const pair = (id: string): [string, string] => cornersOf(id) as [string, string];
export const edgeId = (edge: readonly string[]): string => idOf(edge.slice(0, 2));
export const sideId = (side: readonly string[]): string => idOf([...side].sort());
export const sameEdge = (a: string, b: string): boolean => a === b || idOf(pair(a).reverse()) === b;

/** What a field of a form takes from the view. */
export const takes: Partial<Record<Widget, Taken[]>> = {
  corner: ["corner"],
  edge: ["edge"],
  edges: ["edge"],
  corners: ["corner"],
  "corner-places": ["corner", "guide"],
  blocks: ["block"],
  sides: ["edge", "side"],
  "edges-or-sides": ["edge", "side"],
  faces: ["edge", "side"],
  guide: ["guide"],
  guides: ["guide"],
  "place-or-guide": ["guide"],
  places: ["guide"],
};

/** Makes the selector that a field holds from what is in hand; null where it does not fit. */
export function selectorOf(selection: Selection, widget: Widget): unknown {
  if (!selection.ids.length || !takes[widget]?.includes(selection.kind)) return null;
  switch (selection.kind) {
    case "guide":
      return guideValue(selection.ids, widget);
    case "corner":
      if (widget === "corner-places") return selection.ids.map((id) => ({ ids: [id] }));
      return { ids: widget === "corners" ? selection.ids : selection.ids.slice(0, 1) };
    case "block":
      return { ids: selection.ids };
    case "edge":
      return { edges: (widget === "edge" ? selection.ids.slice(0, 1) : selection.ids).map(pair) };
    case "side":
      return { sides: selection.ids.map(cornersOf) };
  }
}

/** What a field holds of guides: a name, names, or places on them. */
function guideValue(names: string[], widget: Widget): unknown {
  if (widget === "guides") return names;
  if (widget === "guide") return names[0];
  const places = names.map((guide) => ({ guide, fraction: 0 }));
  return ["places", "corner-places"].includes(widget) ? places : places[0];
}

/** Adds to what is in hand, takes away what was already there, or starts anew. */
export function picked(before: Selection, kind: Taken, ids: string[], add: boolean): Selection {
  if (!add || before.kind !== kind) return { kind, ids };
  const there = ids.every((id) => before.ids.includes(id));
  return {
    kind,
    ids: there
      ? before.ids.filter((id) => !ids.includes(id))
      : [...new Set([...before.ids, ...ids])],
  };
}
