import { useEffect, useMemo } from "react";
import { Color, DoubleSide } from "three";
import { edgeId, idOf } from "../../model/selection";
import { useBoard } from "../../session/store";
import { usePalette } from "../../theme/mode";
import { tone } from "../../theme/palette";
import type { Side } from "../apart";
import { surfaceOf, Triangles } from "../spanned";
import { useDrawn } from "./drawn";

/** The outer sides of blocks in space, as thin glass, by region where there are several; those in hand are filled. */
export function Sides({ origin }: { origin: number[] }) {
  const model = useDrawn();
  const selection = useBoard((board) => board.selection);
  const explode = useBoard((board) => board.explode);
  const palette = usePalette();
  const { glass, taken } = useMemo(() => {
    const paths = new Map(model.edges.map((edge) => [edgeId(edge.id), edge.path]));
    const regions = new Map(model.blocks.map((block) => [block.id, block.region]));
    const chosen = new Set(selection.kind === "side" ? selection.ids : []);
    const blocks = new Set(selection.kind === "block" ? selection.ids : []);
    const colourOf = (side: Side) => {
      const region = model.regions.indexOf(regions.get(side.blocks[0] ?? "") ?? "");
      return new Color(model.regions.length > 1 ? tone(region) : palette.teal);
    };
    const drawn = { glass: new Triangles(), taken: new Triangles() };
    for (const side of model.sides) {
      const inHand =
        chosen.has(idOf(side.id)) || (blocks.size > 0 && side.blocks.some((b) => blocks.has(b)));
      if (side.state !== "outer" && !inHand) continue;
      const colour = inHand ? new Color(palette.ochre) : colourOf(side);
      drawn[inHand ? "taken" : "glass"].add(surfaceOf(side, paths), origin, colour);
    }
    return { glass: drawn.glass.mesh(), taken: drawn.taken.mesh() };
  }, [model, selection, origin, palette]);
  useEffect(() => () => glass.dispose(), [glass]);
  useEffect(() => () => taken.dispose(), [taken]);
  if (model.dim !== 3 || explode > 0) return null;
  return (
    <>
      <mesh geometry={glass} raycast={() => null} renderOrder={4}>
        <meshBasicMaterial
          vertexColors
          transparent
          opacity={model.regions.length > 1 ? 0.14 : 0.07}
          side={DoubleSide}
          depthWrite={false}
        />
      </mesh>
      <mesh geometry={taken} raycast={() => null} renderOrder={5}>
        <meshBasicMaterial
          vertexColors
          transparent
          opacity={0.32}
          side={DoubleSide}
          depthWrite={false}
        />
      </mesh>
    </>
  );
}
