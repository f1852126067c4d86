/** Edges one after the other through the blocks. */

import { edgeId, idOf, pair, sameEdge } from "./selection";
import type { Edge } from "./types";

/** An edge of a chain, and the way it runs there. */
export interface Run {
  edge: Edge;
  way: string;
}

/** The edges that go on beyond the end of a run, each running away from it. */
export function beyond(edges: Map<string, Edge>, { edge, way }: Run): Run[] {
  const next = edge.id[1] === pair(way)[1] ? edge.beyond : edge.before;
  return next.flatMap((id) => {
    const found = edges.get(edgeId([...id].sort()));
    return found?.nodes.length ? [{ edge: found, way: edgeId(id) }] : [];
  });
}

const turned = ({ edge, way }: Run): Run => ({ edge, way: idOf(pair(way).reverse()) });

/** Turns a run so that it goes as another does: the same way in their tier, or in space. */
export function alike(run: Run, as: Run): Run {
  const ahead = ({ edge, way }: Run) => edge.ahead === (edgeId(edge.id) === way);
  if (run.edge.tier === as.edge.tier) return ahead(run) === ahead(as) ? run : turned(run);
  const along = ({ edge, way }: Run) => {
    const [start = [], end = []] = [edge.path[0], edge.path.at(-1)];
    const sign = edgeId(edge.id) === way ? 1 : -1;
    return end.map((v, n) => sign * (v - (start[n] ?? 0)));
  };
  const other = along(as);
  const dot = along(run).reduce((sum, v, n) => sum + v * (other[n] ?? 0), 0);
  return dot < 0 ? turned(run) : run;
}

/** The chain that an edge is part of: on from both its ends, through the first of several ways. */
export function chainOf(all: Edge[], start: Run): Run[] {
  const edges = new Map(all.map((edge) => [edgeId(edge.id), edge]));
  const follow = (from: Run): Run[] => {
    const found: Run[] = [];
    let run: Run | undefined = from;
    while (run) {
      run = beyond(edges, run)[0];
      const again = run && [start, ...found].some((r) => sameEdge(r.way, run?.way ?? ""));
      if (!run || again) break;
      found.push(run);
    }
    return found;
  };
  const before = follow(turned(start)).map(turned).reverse();
  return [...before, start, ...follow(start)];
}

/** The size of the cell that the neighbour has at each end of a run; null at the boundary. */
export function sizesBeside(all: Edge[], run: Run): { first: number | null; last: number | null } {
  const edges = new Map(all.map((edge) => [edgeId(edge.id), edge]));
  const near = (from: Run) => {
    const sizes = beyond(edges, from).map(({ edge, way }) => {
      const s = edge.nodes;
      const plain = edgeId(edge.id) === way;
      const n = s.length;
      const part = plain
        ? (s[1] as number) - (s[0] as number)
        : (s[n - 1] as number) - (s[n - 2] as number);
      return part * edge.length;
    });
    return sizes.length ? Math.min(...sizes) : null;
  };
  return { first: near(turned(run)), last: near(run) };
}
