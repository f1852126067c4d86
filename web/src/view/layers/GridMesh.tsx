import { useEffect, useMemo } from "react";
import { BufferAttribute, BufferGeometry, Color, DoubleSide } from "three";
import { colourRange, type Range } from "../../model/colouring";
import { INNER, type Picture, triangles, UNNAMED } from "../../model/picture";
import { useBoardData } from "../../session/context";
import { useBoard } from "../../session/store";
import { usePalette } from "../../theme/mode";
import { colourOf, tone } from "../../theme/palette";
import type { Extent } from "../extent";
import { useClip } from "./Surfaces";

interface Props {
  picture: Picture;
  extent: Extent;
  /** Whether this is what a draft would give. */
  ghost?: boolean;
  /** Whether only its borders are drawn, round what is cut out of it. */
  outlined?: boolean;
  /** Whether it is another state, of which nothing can be picked. */
  other?: boolean;
  /** The colours of its values, where these are a field and no metric. */
  field?: Range;
}

/** The faces and lines of a grid: plain, by quality, or by patch. */
export function GridMesh({
  picture,
  extent,
  ghost = false,
  outlined = false,
  other = false,
  field,
}: Props) {
  const { quality } = useBoardData();
  const layer = useBoard((board) => board.layer);
  const selection = useBoard((board) => board.selection);
  const only = useBoard((board) => board.alone);
  const palette = usePalette();
  const planes = useClip(extent);
  const metric = quality?.metrics.find((m) => m.key === quality.metric) ?? null;
  const solid = picture.dim === 3;
  const coloured =
    field !== undefined ||
    (layer === "Patches" ? solid : layer === "Quality" && Boolean(picture.values && metric));

  const alone = layer === "Patches" && !field && only !== null ? picture.patches.indexOf(only) : -1;

  const lines = useMemo(() => indexed(picture, picture.lines), [picture]);
  const borders = useMemo(() => indexed(picture, picture.borders), [picture]);
  const faces = useMemo(() => {
    const range = field ?? (metric && colourRange(metric));
    const plain = new Color(palette.card);
    const wrong = new Color(palette.madder);
    const tones = picture.patches.map((_, n) => new Color(tone(n)));
    const colour = (face: number): [number, number, number] => {
      if (coloured && !field && layer === "Patches") {
        const group = picture.groups[face] as number;
        const found = group === UNNAMED ? wrong : group === INNER ? plain : (tones[group] as Color);
        return [found.r, found.g, found.b];
      }
      if (coloured && range && picture.values) {
        const shade = colourOf(picture.values[face] as number, range);
        const found = shade ? new Color().setRGB(...shade, "srgb") : plain;
        return [found.r, found.g, found.b];
      }
      return [plain.r, plain.g, plain.b];
    };
    return facesOf(picture, colour, (face) => alone < 0 || picture.groups[face] === alone);
  }, [picture, coloured, field, layer, metric, palette, alone]);
  const inHand = useMemo(() => facesIn(picture, new Set(selection.ids)), [picture, selection.ids]);
  useEffect(() => () => lines.dispose(), [lines]);
  useEffect(() => () => borders.dispose(), [borders]);
  useEffect(() => () => faces.dispose(), [faces]);
  useEffect(() => () => inHand.dispose(), [inHand]);

  const at = picture.origin.map((v, n) => v - (extent.origin[n] ?? 0)) as [number, number, number];
  return (
    <group position={at}>
      {!outlined && (solid || coloured) && (
        <mesh geometry={faces} {...(other ? { raycast: () => null } : { name: "grid" })}>
          <meshBasicMaterial
            key={planes.length}
            vertexColors
            side={DoubleSide}
            clippingPlanes={planes}
            polygonOffset
            polygonOffsetFactor={2}
            polygonOffsetUnits={2}
          />
        </mesh>
      )}
      {!outlined && solid && (
        <mesh geometry={inHand} raycast={() => null}>
          <meshBasicMaterial
            key={planes.length}
            color={palette.ochre}
            side={DoubleSide}
            clippingPlanes={planes}
            polygonOffset
            polygonOffsetFactor={1}
            polygonOffsetUnits={1}
          />
        </mesh>
      )}
      <lineSegments
        geometry={lines}
        raycast={() => null}
        renderOrder={1}
        visible={!outlined && alone < 0}
      >
        <lineBasicMaterial
          key={planes.length}
          clippingPlanes={planes}
          color={ghost ? palette.ochre : palette.ink}
          transparent
          opacity={ghost ? 0.9 : solid ? 0.28 : layer === "Quality" ? 0.3 : 0.45}
          depthTest={solid}
        />
      </lineSegments>
      <lineSegments geometry={borders} raycast={() => null} renderOrder={2}>
        <lineBasicMaterial
          key={planes.length}
          clippingPlanes={planes}
          color={palette.ink}
          transparent
          opacity={outlined || alone >= 0 ? 0.35 : 0.9}
          depthTest={solid}
        />
      </lineSegments>
    </group>
  );
}

function indexed(picture: Picture, index: Uint32Array): BufferGeometry {
  const geometry = new BufferGeometry();
  geometry.setAttribute("position", new BufferAttribute(picture.nodes, 3));
  geometry.setIndex(new BufferAttribute(index, 1));
  return geometry;
}

/** The faces of the layout's sides that are in hand, drawn over the others. */
function facesIn(picture: Picture, ids: Set<string>): BufferGeometry {
  const taken = picture.origins.map((id) => ids.has(id));
  const index = taken.includes(true)
    ? triangles(picture, (face) => taken[picture.sides[face] as number] ?? false)
    : new Uint32Array(0);
  return indexed(picture, index);
}

/** The faces that are shown, with a colour each: their corners are not shared, so that colours do not run. */
function facesOf(
  picture: Picture,
  colour: (face: number) => [number, number, number],
  shown: (face: number) => boolean,
): BufferGeometry {
  const faces: number[] = [];
  const index = triangles(picture, (face) => {
    const is = shown(face);
    if (is) faces.push(face);
    return is;
  });
  const places = new Float32Array(index.length * 3);
  const colours = new Float32Array(index.length * 3);
  for (let n = 0; n < index.length; n++) {
    const node = index[n] as number;
    places.set(picture.nodes.subarray(3 * node, 3 * node + 3), 3 * n);
    if (n % 6 === 0) {
      const found = colour(faces[n / 6] as number);
      for (let k = 0; k < 6; k++) colours.set(found, 3 * (n + k));
    }
  }
  const geometry = new BufferGeometry();
  geometry.setAttribute("position", new BufferAttribute(places, 3));
  geometry.setAttribute("color", new BufferAttribute(colours, 3));
  geometry.userData.faces = faces;
  return geometry;
}
