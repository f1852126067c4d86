import { useMemo } from "react";
import { edgeId, idOf, sameEdge } from "../../model/selection";
import type { Edge, Model } from "../../model/types";
import { useBoard } from "../../session/store";
import { usePalette } from "../../theme/mode";
import { tone } from "../../theme/palette";
import { blockEdges, edgesApart } from "../apart";
import { useDrawn } from "./drawn";
import { piecesOf, Segments } from "./segments";

type Path = number[][];

/** Block edges by their state, those on a guide as a double line; exploded, every block draws its own. */
export function Edges({ origin }: { origin: number[] }) {
  const model = useDrawn();
  const palette = usePalette();
  const selection = useBoard((board) => board.selection);
  const explode = useBoard((board) => (board.layer === "Blocks" ? board.explode : 0));
  const drawn = useMemo(() => {
    const apart = edgesApart(model, origin, explode);
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
      <Segments points={drawn.follows} color={palette.ink} width={4.4} order={12} />
      <Segments points={drawn.follows} color={palette.paper} width={1.6} order={13} />
      <PatchEdges origin={origin} />
      <Segments points={inHand} color={palette.ochre} width={4} order={14} />
    </>
  );
}

/** The outer edges of the plane in the colours of their patches; those without a name in dark red. */
function PatchEdges({ origin }: { origin: number[] }) {
  const model = useDrawn();
  const palette = usePalette();
  const shown = useBoard((board) => board.layer === "Patches");
  const alone = useBoard((board) => board.alone);
  const drawn = useMemo(() => {
    if (model.dim !== 2) return [];
    const paths = new Map(model.edges.map((edge) => [edgeId(edge.id), edge.path]));
    const of = (sides: string[][]) =>
      piecesOf(
        sides.map((side) => paths.get(edgeId([...side].sort())) ?? []),
        origin,
      );
    return [
      ...model.patches.map((patch, n) => ({
        name: patch.name,
        color: tone(n),
        points: of(patch.sides),
      })),
      { name: null, color: palette.madder, points: of(model.unnamed_sides) },
    ];
  }, [model, origin, palette]);
  if (!shown) return null;
  return drawn
    .filter((one) => alone === null || one.name === alone)
    .map((one) => (
      <Segments key={one.name} points={one.points} color={one.color} width={4.4} order={13} />
    ));
}

/** The paths of what is in hand: edges, those of blocks, or those around sides. */
function takenPaths(
  model: Model,
  kind: string,
  ids: string[],
  origin: number[],
  explode: number,
): Path[] {
  if (kind === "block") return blockEdges(model, ids, origin, explode);
  const paths = new Map(model.edges.map((edge) => [edgeId(edge.id), edge.path]));
  if (kind === "side")
    return model.sides
      .filter((side) => ids.includes(idOf(side.id)))
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
