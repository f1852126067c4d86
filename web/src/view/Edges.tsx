import { useMemo } from "react";
import { edgeId, sameEdge } from "../model/selection";
import type { Block, Edge, Model } from "../model/types";
import { useBoard } from "../session/store";
import { usePalette } from "../theme/mode";
import { useDrawn } from "./drawn";
import { piecesOf, Segments } from "./segments";

type Path = number[][];

/** Block edges by their state; what is in hand on top. Exploded, every block draws its own. */
export function Edges({ origin }: { origin: number[] }) {
  const model = useDrawn();
  const palette = usePalette();
  const selection = useBoard((board) => board.selection);
  const explode = useBoard((board) => (board.layer === "Blocks" ? board.explode : 0));
  const drawn = useMemo(() => {
    const apart = explode > 0 ? explodedEdges(model, origin, explode) : model.edges;
    const of = (test: (edge: Edge) => boolean) =>
      piecesOf(
        apart.filter(test).map((edge) => edge.path),
        origin,
      );
    return {
      hollow: of((e) => e.state === "hollow"),
      inner: of((e) => e.state === "inner" && !e.follows),
      outer: of((e) => e.state === "outer" && !e.follows),
      follows: of((e) => e.state !== "hollow" && Boolean(e.follows)),
    };
  }, [model, origin, explode]);
  const inHand = useMemo(
    () => piecesOf(takenPaths(model, selection.kind, selection.ids, origin, explode), origin),
    [model, selection, origin, explode],
  );
  return (
    <>
      <Segments points={drawn.hollow} color={palette.muted} width={1} order={11} />
      <Segments points={drawn.inner} color={palette.ink} width={1.2} order={11} />
      <Segments points={drawn.outer} color={palette.ink} width={2.4} order={12} />
      <Segments points={drawn.follows} color={palette.teal} width={3} order={13} />
      <Segments points={inHand} color={palette.ochre} width={4} order={14} />
    </>
  );
}

/** The edges of a block, each as the pair of its corners' ids in order. */
function edgesOf(block: Block): string[] {
  const found: string[] = [];
  for (let n = 0; n < block.corners.length; n++)
    for (let bit = 1; bit < block.corners.length; bit *= 2)
      if (!(n & bit))
        found.push(edgeId([block.corners[n] ?? "", block.corners[n | bit] ?? ""].sort()));
  return found;
}

/** How far a block stands off its place when the view is exploded. */
const offset = (block: Block, origin: number[], explode: number): number[] =>
  block.centre.map((v, n) => explode * (v - (origin[n] ?? 0)));

const shifted = (path: Path, by: number[]): Path =>
  path.map((p) => p.map((v, n) => v + (by[n] ?? 0)));

function explodedEdges(model: Model, origin: number[], explode: number): Edge[] {
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

/** The paths of what is in hand: edges, those of blocks, or those around sides. */
function takenPaths(
  model: Model,
  kind: string,
  ids: string[],
  origin: number[],
  explode: number,
): Path[] {
  const paths = new Map(model.edges.map((edge) => [edgeId(edge.id), edge.path]));
  if (kind === "block")
    return model.blocks
      .filter((block) => ids.includes(block.id))
      .flatMap((block) => {
        const by = offset(block, origin, explode);
        return edgesOf(block).map((id) => shifted(paths.get(id) ?? [], by));
      });
  if (kind === "side")
    return model.sides
      .filter((side) => ids.includes(side.id.join("|")))
      .flatMap((side) =>
        side.around.map((corner, n) => {
          const next = side.around[(n + 1) % side.around.length] ?? "";
          return paths.get(edgeId([corner, next].sort())) ?? [];
        }),
      );
  if (kind !== "edge") return [];
  return model.edges
    .filter((edge) => ids.some((s) => sameEdge(s, edgeId(edge.id))))
    .map((edge) => edge.path);
}
