import { useEffect, useMemo } from "react";
import { BufferAttribute, BufferGeometry, Color, DoubleSide } from "three";
import { colourRange } from "../../model/colouring";
import type { PiecesPicture } from "../../model/types";
import { useBoardData } from "../../session/context";
import { usePalette } from "../../theme/mode";
import { colourOf } from "../../theme/palette";
import type { Extent } from "../extent";

interface Props {
  picture: PiecesPicture;
  extent: Extent;
  /** Whether they are of another state, of which nothing can be picked. */
  other?: boolean;
}

/** What sections cut out of the grid, or cells alone: polygons with their outlines, coloured by the metric on view. */
export function PiecesMesh({ picture, extent, other = false }: Props) {
  const { quality } = useBoardData();
  const palette = usePalette();
  const metric = quality?.metrics.find((m) => m.key === quality.metric) ?? null;
  const [faces, lines] = useMemo(() => {
    const places = new BufferAttribute(picture.nodes, 3);
    const found = new BufferGeometry();
    found.setAttribute("position", places);
    found.setIndex(new BufferAttribute(picture.triangles, 1));
    const colours = new Float32Array(picture.nodes.length);
    const plain = new Color(palette.card);
    const range = metric && picture.values ? colourRange(metric) : null;
    const tone = new Color();
    for (let n = 0; n < colours.length / 3; n++) {
      const shade = range && colourOf(picture.values?.[n] ?? 0, range);
      if (shade) tone.setRGB(...shade, "srgb");
      else tone.copy(plain);
      tone.toArray(colours, 3 * n);
    }
    found.setAttribute("color", new BufferAttribute(colours, 3));
    const outlines = new BufferGeometry();
    outlines.setAttribute("position", places);
    outlines.setIndex(new BufferAttribute(picture.lines, 1));
    return [found, outlines];
  }, [picture, metric, palette]);
  useEffect(
    () => () => {
      faces.dispose();
      lines.dispose();
    },
    [faces, lines],
  );
  const at = picture.origin.map((v, n) => v - (extent.origin[n] ?? 0)) as [number, number, number];
  return (
    <group position={at}>
      <mesh
        geometry={faces}
        {...(other ? { raycast: () => null } : { name: "pieces", userData: { picture } })}
      >
        <meshBasicMaterial
          vertexColors
          side={DoubleSide}
          polygonOffset
          polygonOffsetFactor={1}
          polygonOffsetUnits={1}
        />
      </mesh>
      <lineSegments geometry={lines} raycast={() => null} renderOrder={1}>
        <lineBasicMaterial color={palette.ink} transparent opacity={0.35} />
      </lineSegments>
    </group>
  );
}
