import { useEffect, useMemo } from "react";
import { BufferAttribute, BufferGeometry, Color, DoubleSide } from "three";
import { edgeId } from "../../model/selection";
import { useBoard } from "../../session/store";
import { usePalette } from "../../theme/mode";
import { tone } from "../../theme/palette";
import { outlineOf, pathAlong, type Side } from "../apart";
import { useDrawn } from "./drawn";

type Path = number[][];

/** The outer sides of blocks in space, as thin glass, by region where there are several; those in hand are filled. */
export function Sides({ origin }: { origin: number[] }) {
  const model = useDrawn();
  const selection = useBoard((board) => board.selection);
  const explode = useBoard((board) => board.explode);
  const palette = usePalette();
  const { glass, taken } = useMemo(() => {
    const paths = new Map(model.edges.map((edge) => [edgeId(edge.id), edge.path]));
    const regions = new Map(model.blocks.map((block) => [block.id, block.region]));
    const chosen = new Set(selection.kind === "side" ? selection.ids : []);
    const blocks = new Set(selection.kind === "block" ? selection.ids : []);
    const colourOf = (side: Side) => {
      const region = model.regions.indexOf(regions.get(side.blocks[0] ?? "") ?? "");
      return new Color(model.regions.length > 1 ? tone(region) : palette.teal);
    };
    const drawn = { glass: new Triangles(), taken: new Triangles() };
    for (const side of model.sides) {
      const inHand =
        chosen.has(side.id.join("|")) ||
        (blocks.size > 0 && side.blocks.some((b) => blocks.has(b)));
      if (side.state !== "outer" && !inHand) continue;
      const colour = inHand ? new Color(palette.ochre) : colourOf(side);
      drawn[inHand ? "taken" : "glass"].add(surfaceOf(side, paths), origin, colour);
    }
    return { glass: drawn.glass.mesh(), taken: drawn.taken.mesh() };
  }, [model, selection, origin, palette]);
  useEffect(() => () => glass.dispose(), [glass]);
  useEffect(() => () => taken.dispose(), [taken]);
  if (model.dim !== 3 || explode > 0) return null;
  return (
    <>
      <mesh geometry={glass} raycast={() => null} renderOrder={4}>
        <meshBasicMaterial
          vertexColors
          transparent
          opacity={model.regions.length > 1 ? 0.14 : 0.07}
          side={DoubleSide}
          depthWrite={false}
        />
      </mesh>
      <mesh geometry={taken} raycast={() => null} renderOrder={5}>
        <meshBasicMaterial
          vertexColors
          transparent
          opacity={0.32}
          side={DoubleSide}
          depthWrite={false}
        />
      </mesh>
    </>
  );
}

/** Pieces along an edge at most, of the surface that stands for a side. */
const FINEST = 24;

/** A side as triangles' corners: the surface that its four edges span, so that a bent side is drawn bent. */
function surfaceOf(side: Side, paths: Map<string, Path>): Path {
  if (side.around.length !== 4) return fan(outlineOf(side.around, paths));
  const walk = side.around.map((_, n) => pathAlong(side.around, n, paths));
  if (walk.some((path) => path.length < 2)) return fan(outlineOf(side.around, paths));
  const pieces = (a: number, b: number) =>
    Math.min(Math.max((walk[a] as Path).length, (walk[b] as Path).length) - 1, FINEST);
  const [along, up] = [pieces(0, 2), pieces(1, 3)];
  const low = even(walk[0] as Path, along);
  const right = even(walk[1] as Path, up);
  const high = even(walk[2] as Path, along).reverse();
  const left = even(walk[3] as Path, up).reverse();
  const at = (n: number, m: number): number[] => {
    const [u, v] = [n / along, m / up];
    const of = (path: Path, k: number, axis: number) => path[k]?.[axis] ?? 0;
    return [0, 1, 2].map((axis) => {
      const straight =
        (1 - u) * (1 - v) * of(low, 0, axis) +
        u * (1 - v) * of(low, along, axis) +
        (1 - u) * v * of(high, 0, axis) +
        u * v * of(high, along, axis);
      const across = (1 - v) * of(low, n, axis) + v * of(high, n, axis);
      return across + (1 - u) * of(left, m, axis) + u * of(right, m, axis) - straight;
    });
  };
  const found: Path = [];
  for (let n = 0; n < along; n++)
    for (let m = 0; m < up; m++) {
      const [a, b, c, d] = [at(n, m), at(n + 1, m), at(n + 1, m + 1), at(n, m + 1)];
      found.push(a, b, c, a, c, d);
    }
  return found;
}

/** A path at a number of pieces, evenly by its places. */
const even = (path: Path, pieces: number): Path =>
  Array.from({ length: pieces + 1 }, (_, n) => {
    const where = (n * (path.length - 1)) / pieces;
    const first = Math.min(Math.floor(where), path.length - 2);
    const [a, b] = [path[first] as number[], path[first + 1] as number[]];
    return a.map((v, axis) => v + (where - first) * ((b[axis] ?? v) - v));
  });

/** A rim as triangles around its middle. */
function fan(rim: Path): Path {
  const middle = [0, 1, 2].map((n) => rim.reduce((sum, p) => sum + (p[n] ?? 0), 0) / rim.length);
  return rim.flatMap((p, n) => [middle, p, rim[(n + 1) % rim.length] ?? middle]);
}

/** Triangles being gathered, each corner with its colour. */
class Triangles {
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
