import type { PiecesPicture } from "./types";

/** Reading the server's binary pictures: a JSON index, then typed arrays. */
export interface Picture {
  dim: number;
  cells: number;
  /** Whether it was drawn with few cells, as the true one is large. */
  coarse: boolean;
  origin: [number, number, number];
  patches: string[];
  /** The layout's side ("a|b|c|d") that each side of the grid is; empty in the plane. */
  origins: string[];
  /** The nodes on each edge of the layout, from its first corner; empty in space. */
  edges: Record<string, number[]>;
  nodes: Float32Array;
  faces: Uint32Array;
  lines: Uint32Array;
  borders: Uint32Array;
  groups: Uint16Array;
  sides: Uint32Array;
  values?: Float32Array;
  /** The cell of each face, by its number in the grid, where there are values. */
  face_cells?: Uint32Array;
  /** The least and the most of the values of a flow. */
  low?: number;
  high?: number;
}

/** The groups of faces that no patch has: on the outside, and inside the grid. */
export const [UNNAMED, INNER] = [65535, 65534];

const TYPES = {
  float32: Float32Array,
  uint32: Uint32Array,
  uint16: Uint16Array,
} as const;

interface Place {
  type: keyof typeof TYPES;
  start: number;
  length: number;
}

/** Unpacks a picture without copying its arrays. */
export function unpacked<T>(data: ArrayBuffer): T {
  const size = new DataView(data).getUint32(0, true);
  const head = JSON.parse(new TextDecoder().decode(new Uint8Array(data, 4, size)));
  const arrays = Object.entries(head.arrays as Record<string, Place>).map(([name, at]) => [
    name,
    new TYPES[at.type](data, 4 + size + at.start, at.length),
  ]);
  const { arrays: _, ...index } = head;
  return { ...index, ...Object.fromEntries(arrays) };
}

/** Gives the node indices of the triangles, two for each face that is wanted. */
export function triangles(
  picture: Picture,
  wanted: (face: number) => boolean = () => true,
): Uint32Array {
  const count = picture.faces.length / 4;
  const index = new Uint32Array(count * 6);
  let found = 0;
  for (let n = 0; n < count; n++) {
    if (!wanted(n)) continue;
    const [a, b, c, d] = picture.faces.subarray(4 * n, 4 * n + 4) as unknown as number[];
    index.set([a, b, c, a, c, d] as number[], found);
    found += 6;
  }
  return index.subarray(0, found);
}

/** Gives the place of a node, in the project's unit. */
export const placeOf = (picture: Picture, node: number): [number, number, number] => {
  const at = (n: number) => (picture.nodes[3 * node + n] ?? 0) + (picture.origin[n] ?? 0);
  return [at(0), at(1), at(2)];
};

/** The nodes of `after` on their way from `before`, of the same grid; as they are where it is another. */
export function blended(before: Picture, after: Picture, share: number): Picture {
  if (before.nodes.length !== after.nodes.length) return after;
  const off = before.origin.map((v, n) => v - (after.origin[n] ?? 0));
  const nodes = after.nodes.map((to, n) => {
    const from = (before.nodes[n] ?? 0) + (off[n % 3] ?? 0);
    return from + share * (to - from);
  });
  return { ...after, nodes };
}

/** The cell of a triangle of pieces of cells: each piece is a fan of triangles. */
export function ownerOf(picture: PiecesPicture, triangle: number): number | null {
  const place = picture.triangles[3 * triangle] ?? 0;
  let [low, high] = [0, picture.start.length - 1];
  while (high - low > 1) {
    const middle = (low + high) >> 1;
    if ((picture.start[middle] ?? 0) <= place) low = middle;
    else high = middle;
  }
  return picture.cells[low] ?? null;
}
