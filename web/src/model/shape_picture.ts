/** The surfaces as the server draws them. */
export interface ShapePicture {
  origin: [number, number, number];
  /** Each surface with the end of its triangles, and of its edge lines. */
  surfaces: { name: string; triangles: number; lines: number }[];
  nodes: Float32Array;
  normals: Float32Array;
  triangles: Uint32Array;
  /** Pieces of edges: six numbers each. */
  lines: Float32Array;
}

/** Gives the first triangle of a surface, or the first piece of its edges. */
export const firstOf = (picture: ShapePicture, at: number, what: "triangles" | "lines"): number =>
  at > 0 ? (picture.surfaces[at - 1]?.[what] ?? 0) : 0;

/** Gives the places of the edges of surfaces as pieces, in the project's unit. */
export function edgePieces(picture: ShapePicture, shown: (name: string) => boolean): number[][] {
  const found: number[][] = [];
  picture.surfaces.forEach((surface, n) => {
    if (!shown(surface.name)) return;
    for (let k = firstOf(picture, n, "lines"); k < surface.lines; k++)
      for (const end of [0, 3])
        found.push(
          [0, 1, 2].map((i) => (picture.lines[6 * k + end + i] ?? 0) + (picture.origin[i] ?? 0)),
        );
  });
  return found;
}
