import { Line } from "@react-three/drei";
import { useEffect, useMemo } from "react";
import { BufferAttribute, BufferGeometry, type Plane } from "three";

type Three = [number, number, number];

/** Turns paths into the ends of their pieces, moved so that `origin` is at 0. */
export function piecesOf(
  paths: readonly (readonly number[])[][],
  origin: readonly number[],
  lift = 0,
): Three[] {
  const moved = (p: readonly number[]): Three => [
    (p[0] ?? 0) - (origin[0] ?? 0),
    (p[1] ?? 0) - (origin[1] ?? 0),
    (p[2] ?? 0) - (origin[2] ?? 0) + lift,
  ];
  return paths.flatMap((path) =>
    path.slice(1).flatMap((p, n) => [moved(path[n] as number[]), moved(p)]),
  );
}

interface Props {
  points: Three[];
  color: string;
  width: number;
  order: number;
  dashed?: boolean;
  dash?: number;
  /** Whether what lies in front hides them; else they are drawn over all. */
  hide?: boolean;
  planes?: Plane[];
}

/** Pieces beyond this number are drawn as thin lines: wide ones cost too much. */
const MOST_WIDE = 30_000;

/** Many straight pieces in one colour, a given number of pixels wide, drawn over the grid. */
export function Segments(props: Props) {
  if (props.points.length < 2) return null;
  return props.points.length > 2 * MOST_WIDE ? <Thin {...props} /> : <Wide {...props} />;
}

function Wide({
  points,
  color,
  width,
  order,
  dashed = false,
  dash = 1,
  hide = false,
  planes = [],
}: Props) {
  return (
    <Line
      key={`${points.length} ${dashed} ${hide} ${planes.length}`}
      points={points}
      segments
      color={color}
      lineWidth={width}
      dashed={dashed}
      dashSize={dash}
      gapSize={dash}
      depthTest={hide}
      depthWrite={false}
      clippingPlanes={planes}
      transparent
      renderOrder={order}
      raycast={() => null}
    />
  );
}

function Thin({ points, color, order, hide = false, planes = [] }: Props) {
  const geometry = useMemo(() => {
    const found = new BufferGeometry();
    found.setAttribute("position", new BufferAttribute(new Float32Array(points.flat()), 3));
    return found;
  }, [points]);
  useEffect(() => () => geometry.dispose(), [geometry]);
  return (
    <lineSegments geometry={geometry} renderOrder={order} raycast={() => null}>
      <lineBasicMaterial
        color={color}
        depthTest={hide}
        depthWrite={false}
        clippingPlanes={planes}
        transparent
      />
    </lineSegments>
  );
}
