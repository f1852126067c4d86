import { useMemo } from "react";
import { placeOf } from "../../model/picture";
import { edgeId } from "../../model/selection";
import type { Model } from "../../model/types";
import { useBoardData } from "../../session/context";
import { useBoard } from "../../session/store";

/** The model as it is drawn: on a layer of the plane grid, edges and corners are where its nodes are. */
export function useDrawn(): Model {
  const { model: kept, grid: keptGrid, preview, previewGrid } = useBoardData();
  const tried = previewGrid && preview && !preview.error;
  const model = tried ? preview.model : kept;
  const grid = tried ? previewGrid : keptGrid;
  const layer = useBoard((board) => board.layer);
  return useMemo(() => {
    if (layer === "Blocks" || !grid || grid.dim !== 2) return model;
    // In the plane of a lifted project each edge stands for all that are above it.
    const lifted = model.dim === 3;
    const foot = new Map(model.corners.map((corner) => [corner.id, corner.foot ?? corner.id]));
    const footOf = (corner: string) => foot.get(corner) ?? corner;
    const ends = new Map<string, number[]>();
    const seen = new Set<string>();
    const edges = model.edges.flatMap((edge) => {
      const pair = edge.id.map(footOf).sort();
      const key = edgeId(pair);
      const nodes = grid.edges[key];
      if (lifted && (!nodes || seen.has(key))) return [];
      seen.add(key);
      if (!nodes) return [edge];
      const along = nodes.map((node) => placeOf(grid, node));
      const path = footOf(edge.id[0] as string) === pair[0] ? along : along.reverse();
      ends.set(edge.id[0] as string, path[0] as number[]);
      ends.set(edge.id[1] as string, path.at(-1) as number[]);
      return [{ ...edge, path }];
    });
    const corners = model.corners
      .filter((corner) => !lifted || ends.has(corner.id))
      .map((corner) => ({ ...corner, xyz: ends.get(corner.id) ?? corner.xyz }));
    return { ...model, edges, corners };
  }, [model, grid, layer]);
}
