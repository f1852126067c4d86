import { useMemo } from "react";
import type { Edge } from "../api/client";
import { useBoard } from "../board/store";
import { edgeId, sameEdge } from "../model/selection";
import { usePalette } from "../theme/mode";
import { useDrawn } from "./drawn";
import { piecesOf, Segments } from "./segments";

/** Block edges by their state; what is in hand on top. */
export function Edges({ origin }: { origin: number[] }) {
  const model = useDrawn();
  const palette = usePalette();
  const selection = useBoard((board) => board.selection);
  const drawn = useMemo(() => {
    const of = (test: (edge: Edge) => boolean) =>
      piecesOf(
        model.edges.filter(test).map((edge) => edge.path),
        origin,
      );
    return {
      hollow: of((e) => e.state === "hollow"),
      inner: of((e) => e.state === "inner" && !e.follows),
      outer: of((e) => e.state === "outer" && !e.follows),
      follows: of((e) => Boolean(e.follows)),
    };
  }, [model.edges, origin]);
  const inHand = useMemo(() => {
    const taken = new Set(
      selection.kind === "block"
        ? model.blocks
            .filter((b) => selection.ids.includes(b.id))
            .flatMap((b) => {
              const c = b.corners as [string, string, string, string];
              return [
                [c[0], c[1]],
                [c[2], c[3]],
                [c[0], c[2]],
                [c[1], c[3]],
              ].map((e) => [...e].sort().join("|"));
            })
        : [],
    );
    const chosen = model.edges.filter((edge) => {
      const id = edgeId(edge.id);
      return (
        taken.has(id) || (selection.kind === "edge" && selection.ids.some((s) => sameEdge(s, id)))
      );
    });
    return piecesOf(
      chosen.map((edge) => edge.path),
      origin,
    );
  }, [model.edges, model.blocks, selection, origin]);
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
