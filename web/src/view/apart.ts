/** Where blocks are drawn when they stand apart, and the outlines of their sides: for drawing and for picking. */
import { edgeId } from "../model/selection";
import type { Block, Edge, Model } from "../model/types";

type Path = number[][];
export type Side = Model["sides"][number];

/** A side with its outline where it is drawn. */
export interface Outline {
  side: Side;
  block: string | undefined;
  path: Path;
}

/** How far a block stands off its place when the view is exploded. */
const offset = (block: Block, origin: readonly number[], explode: number): number[] =>
  block.centre.map((v, n) => explode * (v - (origin[n] ?? 0)));

const shifted = (path: Path, by: number[]): Path =>
  path.map((p) => p.map((v, n) => v + (by[n] ?? 0)));

const pathsOf = (model: Model): Map<string, Path> =>
  new Map(model.edges.map((edge) => [edgeId(edge.id), edge.path]));

/** The edges of a block, each as the pair of its corners' ids in order. */
function edgesOf(block: Block): string[] {
  const found: string[] = [];
  for (let n = 0; n < block.corners.length; n++)
    for (let bit = 1; bit < block.corners.length; bit *= 2)
      if (!(n & bit))
        found.push(edgeId([block.corners[n] ?? "", block.corners[n | bit] ?? ""].sort()));
  return found;
}

/** The edges as they are drawn: once each, or with every block where blocks stand apart. */
export function edgesApart(model: Model, origin: readonly number[], explode: number): Edge[] {
  if (explode === 0) return model.edges;
  const edges = new Map(model.edges.map((edge) => [edgeId(edge.id), edge]));
  return model.blocks.flatMap((block) => {
    const by = offset(block, origin, explode);
    return edgesOf(block).flatMap((id) => {
      const edge = edges.get(id);
      if (!edge) return [];
      const state = block.hollow ? ("hollow" as const) : edge.state;
      return [{ ...edge, state, path: shifted(edge.path, by) }];
    });
  });
}

/** The edges of blocks, where they are drawn. */
export function blockEdges(
  model: Model,
  ids: readonly string[],
  origin: readonly number[],
  explode: number,
): Path[] {
  const paths = pathsOf(model);
  return model.blocks
    .filter((block) => ids.includes(block.id))
    .flatMap((block) => {
      const by = offset(block, origin, explode);
      return edgesOf(block).map((id) => shifted(paths.get(id) ?? [], by));
    });
}

/** The outlines that can be picked in space: the outer sides, or all sides of blocks that stand apart. */
export function outlinesOf(model: Model, origin: readonly number[], explode: number): Outline[] {
  const paths = pathsOf(model);
  const hollow = new Set(model.blocks.filter((block) => block.hollow).map((block) => block.id));
  const filled = (side: Side) => side.blocks.filter((id) => !hollow.has(id));
  if (explode === 0)
    return model.sides
      .filter((side) => side.state === "outer")
      .map((side) => ({ side, block: filled(side)[0], path: outlineOf(side.around, paths) }));
  const blocks = new Map(model.blocks.map((block) => [block.id, block]));
  return model.sides.flatMap((side) =>
    filled(side).flatMap((id) => {
      const block = blocks.get(id);
      if (!block) return [];
      const path = shifted(outlineOf(side.around, paths), offset(block, origin, explode));
      return [{ side, block: id, path }];
    }),
  );
}

/** Walks the edges around a side. */
export const outlineOf = (around: string[], paths: Map<string, Path>): Path =>
  around.flatMap((_, n) => pathAlong(around, n, paths));

/** The edge from one corner around a side to the next one, in that direction. */
export function pathAlong(around: string[], n: number, paths: Map<string, Path>): Path {
  const [corner, next] = [around[n] as string, around[(n + 1) % around.length] as string];
  const path = paths.get(edgeId([corner, next].sort())) ?? [];
  return corner < next ? path : [...path].reverse();
}
