import { Line } from "@react-three/drei";
import type { Plane } from "three";

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

/** Many straight pieces in one colour, a given number of pixels wide, drawn over the grid. */
export function Segments({
  points,
  color,
  width,
  order,
  dashed = false,
  dash = 1,
  hide = false,
  planes = [],
}: Props) {
  if (points.length < 2) return null;
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
      clippingPlanes={planes}
      transparent
      renderOrder={order}
      raycast={() => null}
    />
  );
}
