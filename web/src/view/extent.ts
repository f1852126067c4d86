import { useMemo } from "react";
import { Vector3 } from "three";
import type { LookFrom } from "../model/looking";
import { useBoardData } from "../session/context";

export type Three = [number, number, number];

export interface Extent {
  origin: Three;
  half: Three;
}

const FROM: Record<LookFrom, Three> = {
  oblique: [-0.75, -1.15, 0.95],
  "+x": [1, 0, 0],
  "−x": [-1, 0, 0],
  "+y": [0, 1, 0],
  "−y": [0, -1, 0],
  "+z": [0, 0, 1],
  "−z": [0, 0, -1],
};
export const DIRECTIONS = Object.keys(FROM) as LookFrom[];

/** Where the camera looks from: straight down on the plane, or in space from a chosen side. */
export const lookFrom = (spatial: boolean, from: LookFrom): Vector3 =>
  new Vector3(...(spatial ? FROM[from] : FROM["+z"])).normalize();

/** Which way is up: z in space, y where the camera looks along z. */
export const upFor = (spatial: boolean, from: LookFrom): Vector3 =>
  spatial && !from.endsWith("z") ? new Vector3(0, 0, 1) : new Vector3(0, 1, 0);

/** Half the width and height of an extent as the camera sees it. */
export function seenHalf(half: Three, spatial: boolean, side: LookFrom): [number, number] {
  const from = lookFrom(spatial, side);
  const up = upFor(spatial, side);
  const right = new Vector3().crossVectors(up, from).normalize();
  const top = new Vector3().crossVectors(from, right);
  const reach = (axis: Vector3) =>
    Math.abs(axis.x) * half[0] + Math.abs(axis.y) * half[1] + Math.abs(axis.z) * half[2];
  return [reach(right), reach(top)];
}

/** The middle and the half size of all that there is to see. */
export function useExtent(): Extent {
  const { model: kept, preview } = useBoardData();
  const bare = !kept.corners.length && !kept.guides.length;
  const model = bare && preview && !preview.error ? preview.model : kept;
  return useMemo(() => {
    const places = [
      ...model.corners.map((corner) => corner.xyz),
      ...model.guides.flatMap((guide) => [guide.low, guide.high]),
    ];
    if (!places.length) return { origin: [0, 0, 0], half: [1, 1, 0] };
    const side = (n: number, pick: (...v: number[]) => number) =>
      pick(...places.map((p) => p[n] ?? 0));
    const low = [0, 1, 2].map((n) => side(n, Math.min));
    const high = [0, 1, 2].map((n) => side(n, Math.max));
    return {
      origin: low.map((v, n) => (v + (high[n] ?? 0)) / 2) as Three,
      half: low.map((v, n) => Math.max(((high[n] ?? 0) - v) / 2, 1e-9)) as Three,
    };
  }, [model.corners, model.guides]);
}
