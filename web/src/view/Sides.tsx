import { useEffect, useMemo } from "react";
import { BufferAttribute, BufferGeometry, DoubleSide } from "three";
import { edgeId } from "../model/selection";
import { useBoard } from "../session/store";
import { usePalette } from "../theme/mode";
import { useDrawn } from "./drawn";
import { outlineOf } from "./pick";

/** The outer sides of blocks in space, as thin glass; those in hand are filled. */
export function Sides({ origin }: { origin: number[] }) {
  const model = useDrawn();
  const selection = useBoard((board) => board.selection);
  const explode = useBoard((board) => board.explode);
  const palette = usePalette();
  const { glass, taken } = useMemo(() => {
    const paths = new Map(model.edges.map((edge) => [edgeId(edge.id), edge.path]));
    const chosen = new Set(selection.kind === "side" ? selection.ids : []);
    const blocks = new Set(selection.kind === "block" ? selection.ids : []);
    const fans = { glass: [] as number[], taken: [] as number[] };
    for (const side of model.sides) {
      const inHand =
        chosen.has(side.id.join("|")) ||
        (blocks.size > 0 && side.blocks.some((b) => blocks.has(b)));
      if (side.state !== "outer" && !inHand) continue;
      const rim = outlineOf(side.around, paths);
      const middle = [0, 1, 2].map(
        (n) => rim.reduce((sum, p) => sum + (p[n] ?? 0), 0) / Math.max(rim.length, 1),
      );
      const fan = inHand ? fans.taken : fans.glass;
      for (let n = 0; n < rim.length; n++)
        for (const p of [middle, rim[n] ?? middle, rim[(n + 1) % rim.length] ?? middle])
          fan.push(...p.map((v, axis) => v - (origin[axis] ?? 0)));
    }
    return { glass: meshOf(fans.glass), taken: meshOf(fans.taken) };
  }, [model.sides, model.edges, selection, origin]);
  useEffect(() => () => glass.dispose(), [glass]);
  useEffect(() => () => taken.dispose(), [taken]);
  if (model.dim !== 3 || explode > 0) return null;
  return (
    <>
      <mesh geometry={glass} raycast={() => null} renderOrder={4}>
        <meshBasicMaterial
          color={palette.teal}
          transparent
          opacity={0.07}
          side={DoubleSide}
          depthWrite={false}
        />
      </mesh>
      <mesh geometry={taken} raycast={() => null} renderOrder={5}>
        <meshBasicMaterial
          color={palette.ochre}
          transparent
          opacity={0.32}
          side={DoubleSide}
          depthWrite={false}
        />
      </mesh>
    </>
  );
}

function meshOf(places: number[]): BufferGeometry {
  const geometry = new BufferGeometry();
  geometry.setAttribute("position", new BufferAttribute(new Float32Array(places), 3));
  return geometry;
}
