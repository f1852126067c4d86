import { useThree } from "@react-three/fiber";
import { useEffect, useMemo } from "react";
import { BufferAttribute, BufferGeometry, Color, DoubleSide, Mesh, Plane, Vector3 } from "three";
import {
  acceleratedRaycast,
  computeBoundsTree,
  disposeBoundsTree,
  type MeshBVHOptions,
} from "three-mesh-bvh";
import { edgePieces, firstOf, type ShapePicture } from "../../model/shape_picture";
import { useBoardData } from "../../session/context";
import { useBoard } from "../../session/store";
import { usePalette } from "../../theme/mode";
import { guideColours } from "../../theme/palette";
import type { Extent, Three } from "../extent";
import { Segments } from "./segments";

// Picking among many triangles needs a tree of boxes.
Mesh.prototype.raycast = acceleratedRaycast;
BufferGeometry.prototype.computeBoundsTree = computeBoundsTree;
BufferGeometry.prototype.disposeBoundsTree = disposeBoundsTree;

interface Props {
  picture: ShapePicture;
  extent: Extent;
  /** Whether this is what a draft would give. */
  ghost?: boolean;
}

/** The guide surfaces, shaded, with their edges; hidden ones are left out. */
export function Surfaces({ picture, extent, ghost = false }: Props) {
  const { model } = useBoardData();
  const hidden = useBoard((board) => board.hidden);
  const selection = useBoard((board) => board.selection);
  const seeThrough = useBoard((board) => board.seeThrough);
  const palette = usePalette();
  const planes = useClip(extent);
  const { invalidate } = useThree();
  const off = useMemo(() => new Set(hidden), [hidden]);
  const geometry = useMemo(() => {
    const found = new BufferGeometry();
    found.setAttribute("position", new BufferAttribute(picture.nodes, 3));
    found.setAttribute("normal", new BufferAttribute(picture.normals, 3));
    const parts: Uint32Array[] = [];
    const owners: { name: string; end: number }[] = [];
    let end = 0;
    picture.surfaces.forEach((surface, n) => {
      if (off.has(surface.name)) return;
      const first = firstOf(picture, n, "triangles");
      parts.push(picture.triangles.subarray(3 * first, 3 * surface.triangles));
      end += surface.triangles - first;
      owners.push({ name: surface.name, end });
    });
    const index = new Uint32Array(3 * end);
    let at = 0;
    for (const part of parts) {
      index.set(part, at);
      at += part.length;
    }
    found.setIndex(new BufferAttribute(index, 1));
    found.userData.owners = owners;
    // The triangles must stay in their order: it tells whose they are.
    if (end) found.computeBoundsTree({ indirect: true } as MeshBVHOptions);
    return found;
  }, [picture, off]);
  useEffect(() => () => geometry.dispose(), [geometry]);
  useEffect(() => {
    const colours = guideColours(model.groups, palette);
    const taken = new Set(selection.kind === "guide" ? selection.ids : []);
    const values = new Float32Array(picture.nodes.length);
    picture.surfaces.forEach((surface, n) => {
      const tone = ghost || taken.has(surface.name) ? palette.ochre : colours(surface.name);
      const colour = new Color(tone).lerp(new Color(palette.card), ghost ? 0.2 : 0.45);
      const first = firstOf(picture, n, "triangles");
      for (const node of picture.triangles.subarray(3 * first, 3 * surface.triangles))
        values.set([colour.r, colour.g, colour.b], 3 * node);
    });
    geometry.setAttribute("color", new BufferAttribute(values, 3));
    invalidate();
  }, [geometry, picture, model.groups, selection, palette, ghost, invalidate]);
  const edges = useMemo(
    () =>
      edgePieces(picture, (name) => !off.has(name)).map(
        (p) => p.map((v, n) => v - (extent.origin[n] ?? 0)) as Three,
      ),
    [picture, off, extent.origin],
  );
  const at = picture.origin.map((v, n) => v - (extent.origin[n] ?? 0)) as Three;
  const glass = ghost || seeThrough;
  return (
    <>
      <mesh geometry={geometry} position={at} name={ghost ? "ghost surfaces" : "surfaces"}>
        <meshLambertMaterial
          key={`${glass} ${planes.length}`}
          vertexColors
          side={DoubleSide}
          transparent={glass}
          opacity={ghost ? 0.55 : seeThrough ? 0.35 : 1}
          depthWrite={!glass}
          clippingPlanes={planes}
          polygonOffset
          polygonOffsetFactor={2}
          polygonOffsetUnits={4}
        />
      </mesh>
      <Segments
        points={edges}
        color={ghost ? palette.ochre : palette.ink}
        width={ghost ? 2 : 1}
        order={8}
        hide={!seeThrough && !ghost}
        planes={planes}
      />
    </>
  );
}

/** The planes of the box that the surfaces are clipped to; none where all is shown. */
export function useClip({ half }: Extent): Plane[] {
  const clip = useBoard((board) => board.clip);
  return useMemo(() => {
    if (!clip) return [];
    const ways: Three[] = [
      [1, 0, 0],
      [0, 1, 0],
      [0, 0, 1],
    ];
    return ways.flatMap((way, n) => {
      const [low, high] = clip[n] ?? [0, 1];
      const size = 2.002 * (half[n] ?? 0) + 1e-9;
      const at = (share: number) => (share - 0.5) * size;
      const axis = new Vector3(...way);
      return [new Plane(axis, -at(low)), new Plane(axis.clone().negate(), at(high))];
    });
  }, [clip, half]);
}
