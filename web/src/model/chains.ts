/** Edges one after the other through the blocks. */
import type { Edge } from "../api/client";
import { edgeId, pair, sameEdge } from "./selection";

/** An edge of a chain, and the way it runs there. */
export interface Run {
  edge: Edge;
  way: string;
}

/** The edges that go on beyond the end of a run, each running away from it. */
export function beyond(edges: Map<string, Edge>, { edge, way }: Run): Run[] {
  const end = pair(way)[1];
  const next = edge.id[1] === end ? edge.beyond : edge.before;
  return next.flatMap((id) => {
    const found = edges.get(edgeId(id));
    const far = id[0] === end ? id[1] : id[0];
    return found?.nodes.length ? [{ edge: found, way: `${end}|${far}` }] : [];
  });
}

const turned = ({ edge, way }: Run): Run => ({ edge, way: pair(way).reverse().join("|") });

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
