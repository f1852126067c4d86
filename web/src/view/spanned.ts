/** Surfaces that stand for the sides of blocks: what their four edges span. */
import { BufferAttribute, BufferGeometry, type Color } from "three";
import { outlineOf, pathAlong, type Side } from "./apart";

type Path = number[][];

/** A side by shares along its two pairs of edges, and into how many pieces to draw it. */
interface Spanned {
  at: (u: number, v: number) => number[];
  along: number;
  up: number;
}

/** Pieces along an edge at most. */
const FINEST = 24;

/** The surface that the four edges of a side span (Coons 1967); null where it has not four. */
function spanned(side: Side, paths: Map<string, Path>): Spanned | null {
  if (side.around.length !== 4) return null;
  const walk = side.around.map((_, n) => pathAlong(side.around, n, paths));
  if (walk.some((path) => path.length < 2)) return null;
  const pieces = (a: number, b: number) =>
    Math.min(Math.max((walk[a] as Path).length, (walk[b] as Path).length) - 1, FINEST);
  const [low, right, high, left] = walk as [Path, Path, Path, Path];
  const at = (u: number, v: number): number[] => {
    const [under, over] = [placeAlong(low, u), placeAlong(high, 1 - u)];
    const [before, beyond] = [placeAlong(left, 1 - v), placeAlong(right, v)];
    return [0, 1, 2].map((axis) => {
      const end = (path: Path, n: number) => path.at(n)?.[axis] ?? 0;
      const straight =
        (1 - v) * ((1 - u) * end(low, 0) + u * end(low, -1)) +
        v * ((1 - u) * end(high, -1) + u * end(high, 0));
      const across = (1 - v) * (under[axis] ?? 0) + v * (over[axis] ?? 0);
      return across + (1 - u) * (before[axis] ?? 0) + u * (beyond[axis] ?? 0) - straight;
    });
  };
  return { at, along: pieces(0, 2), up: pieces(1, 3) };
}

/** A side as triangles' corners, so that a bent side is drawn bent. */
export function surfaceOf(side: Side, paths: Map<string, Path>): Path {
  const span = spanned(side, paths);
  if (!span) return fan(outlineOf(side.around, paths));
  const { at, along, up } = span;
  const found: Path = [];
  for (let n = 0; n < along; n++)
    for (let m = 0; m < up; m++) {
      const [a, b] = [at(n / along, m / up), at((n + 1) / along, m / up)];
      const [c, d] = [at((n + 1) / along, (m + 1) / up), at(n / along, (m + 1) / up)];
      found.push(a, b, c, a, c, d);
    }
  return found;
}

/** Lines over a side one way, or both ways where they cross. */
export function hatchOf(side: Side, paths: Map<string, Path>, crossed: boolean): Path[] {
  const span = spanned(side, paths);
  if (!span) return [];
  const { at, along, up } = span;
  const steps = (count: number) => Array.from({ length: count + 1 }, (_, n) => n / count);
  const lines = HATCHES.map((v) => steps(along).map((u) => at(u, v)));
  return crossed ? [...lines, ...HATCHES.map((u) => steps(up).map((v) => at(u, v)))] : lines;
}

/** Where the lines of a hatch are, as shares of a side. */
const HATCHES = [0.2, 0.4, 0.6, 0.8];

/** A place at a share along a path, evenly by its places. */
function placeAlong(path: Path, share: number): number[] {
  const where = share * (path.length - 1);
  const first = Math.min(Math.max(Math.floor(where), 0), path.length - 2);
  const [a, b] = [path[first] as number[], path[first + 1] as number[]];
  return a.map((v, axis) => v + (where - first) * ((b[axis] ?? v) - v));
}

/** A rim as triangles around its middle. */
function fan(rim: Path): Path {
  const middle = [0, 1, 2].map((n) => rim.reduce((sum, p) => sum + (p[n] ?? 0), 0) / rim.length);
  return rim.flatMap((p, n) => [middle, p, rim[(n + 1) % rim.length] ?? middle]);
}

/** Triangles being gathered, each corner with its colour. */
export class Triangles {
  private readonly places: number[] = [];
  private readonly colours: number[] = [];

  add(corners: Path, origin: readonly number[], colour: Color): void {
    for (const corner of corners) {
      for (let n = 0; n < 3; n++) this.places.push((corner[n] ?? 0) - (origin[n] ?? 0));
      this.colours.push(colour.r, colour.g, colour.b);
    }
  }

  mesh(): BufferGeometry {
    const geometry = new BufferGeometry();
    geometry.setAttribute("position", new BufferAttribute(new Float32Array(this.places), 3));
    geometry.setAttribute("color", new BufferAttribute(new Float32Array(this.colours), 3));
    return geometry;
  }
}
