import { useMemo } from "react";
import { placeOf } from "../model/picture";
import { edgeId } from "../model/selection";
import type { Model } from "../model/types";
import { useBoardData } from "../session/context";
import { useBoard } from "../session/store";

/** The model as it is drawn: on a layer of the plane grid, edges and corners are where its nodes are. */
export function useDrawn(): Model {
  const { model: kept, grid: keptGrid, preview, previewGrid } = useBoardData();
  const tried = previewGrid && preview && !preview.error;
  const model = tried ? preview.model : kept;
  const grid = tried ? previewGrid : keptGrid;
  const layer = useBoard((board) => board.layer);
  return useMemo(() => {
    if (layer === "Blocks" || !grid || grid.dim !== 2) return model;
    const ends = new Map<string, number[]>();
    const edges = model.edges.map((edge) => {
      const nodes = grid.edges[edgeId(edge.id)];
      if (!nodes) return edge;
      const path = nodes.map((node) => placeOf(grid, node));
      ends.set(edge.id[0] as string, path[0] as number[]);
      ends.set(edge.id[1] as string, path.at(-1) as number[]);
      return { ...edge, path };
    });
    const corners = model.corners.map((c) => ({ ...c, xyz: ends.get(c.id) ?? c.xyz }));
    return { ...model, edges, corners };
  }, [model, grid, layer]);
}
