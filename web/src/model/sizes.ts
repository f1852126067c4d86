/** Cell sizes along an edge, and what dragging an end does to the step that spaces it. */

import { edgeId, pair } from "./selection";
import type { Edge, Step } from "./types";

/** Distances of the nodes and sizes of the cells along an edge, from the corner that `way` names first. */
export function sizesAlong(edge: Edge, way: string): { at: number[]; d: number[] } {
  const turned = edgeId(edge.id) !== way;
  const s = turned ? edge.nodes.map((v) => 1 - v).reverse() : edge.nodes;
  const at = s.map((v) => v * edge.length);
  return { at, d: at.slice(1).map((v, n) => v - (at[n] as number)) };
}

/** Changes a spacing step so that the cell at one end has a size; both ends wished make it a tanh law. */
export function withEnd(step: Step, way: string, end: "first" | "last", size: string): Step {
  const other = end === "first" ? "last" : "first";
  const next: Step = { ...step, tier: { edges: [pair(way)] }, [end]: size };
  next.growth = undefined;
  if (step.law === "uniform" || step.law === undefined) next.law = "geometric";
  if (next.law === "geometric" && step[other] !== undefined && step[other] !== null)
    next.law = "tanh";
  return Object.fromEntries(Object.entries(next).filter(([, v]) => v !== undefined)) as Step;
}

/** Changes a wall layer so that the cell at the wall, or at its far end, has a size. */
export const withWallEnd = (step: Step, wall: boolean, size: string): Step =>
  wall ? { ...step, first: size } : { ...step, far: "size", far_size: size };
