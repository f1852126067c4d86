/** Finding what lies under the cursor: corners first, then edges, then sides and blocks. */
import { type Camera, Vector3 } from "three";
import type { Hit, Point } from "../model/looking";
import { edgeId, type Taken } from "../model/selection";
import type { Guide, Model } from "../model/types";

const CORNER_REACH = 9;
const EDGE_REACH = 7;

/** Makes the function that turns places of the model into pixels. */
export function projector(
  camera: Camera,
  width: number,
  height: number,
  origin: readonly number[],
) {
  const at = new Vector3();
  return (xyz: readonly number[]): Point => {
    at.set(
      (xyz[0] ?? 0) - (origin[0] ?? 0),
      (xyz[1] ?? 0) - (origin[1] ?? 0),
      (xyz[2] ?? 0) - (origin[2] ?? 0),
    ).project(camera);
    return [((at.x + 1) / 2) * width, ((1 - at.y) / 2) * height, at.z];
  };
}

/** Finds the guide points and curves near a pixel, the nearest first; points before curves. */
export function guidesAt(
  guides: readonly Guide[],
  to: (xyz: readonly number[]) => Point,
  cursor: Point,
): Hit[] {
  const found: { away: number; hit: Hit }[] = [];
  for (const guide of guides) {
    if (guide.dim === 2) continue;
    const path = guide.xyz.map(to);
    let away = Number.POSITIVE_INFINITY;
    if (guide.dim === 0) {
      const [x, y] = path[0] as Point;
      away = Math.hypot(x - cursor[0], y - cursor[1]) - CORNER_REACH;
    } else
      for (let n = 1; n < path.length; n++)
        away = Math.min(away, fromPiece(cursor, path[n - 1] as Point, path[n] as Point));
    if (away < EDGE_REACH) found.push({ away, hit: guideHit(guide) });
  }
  return found.sort((a, b) => a.away - b.away).map((one) => one.hit);
}

/** Gives the place of a guide's drawing that is nearest to a pixel. */
export function nearestOf(
  guide: Guide,
  to: (xyz: readonly number[]) => Point,
  cursor: Point,
): number[] {
  let best = guide.low;
  let reach = Number.POSITIVE_INFINITY;
  for (const xyz of guide.xyz) {
    const [x, y] = to(xyz);
    const away = Math.hypot(x - cursor[0], y - cursor[1]);
    if (away < reach) {
      reach = away;
      best = xyz;
    }
  }
  return best;
}

export const guideHit = (guide: Guide): Hit => ({
  kind: "guide",
  id: guide.name,
  words: `${guide.name} · ${guide.closed ? "closed " : ""}${guide.kind}`,
});

/** Finds what is nearest to a pixel among what may be taken. */
export function hitAt(
  model: Model,
  to: (xyz: readonly number[]) => Point,
  cursor: Point,
  wanted: Taken[] | null,
): Hit | null {
  const may = (kind: Taken) => wanted === null || wanted.includes(kind);
  let best: Hit | null = null;
  let reach = CORNER_REACH;
  if (may("corner"))
    for (const corner of model.corners) {
      const [x, y] = to(corner.xyz);
      const away = Math.hypot(x - cursor[0], y - cursor[1]);
      if (away < reach) {
        reach = away;
        const held = { pinned: "pinned", free: "free", guide: `on ${corner.guide}` }[corner.sign];
        best = { kind: "corner", id: corner.id, words: `corner ${corner.label}, ${held}` };
      }
    }
  if (best) return best;
  reach = EDGE_REACH;
  if (may("edge"))
    for (const edge of model.edges) {
      const path = edge.path.map(to);
      for (let n = 1; n < path.length; n++) {
        const away = fromPiece(cursor, path[n - 1] as Point, path[n] as Point);
        if (away < reach) {
          reach = away;
          const follows = edge.follows ? `, follows ${edge.follows}` : "";
          const words = `${edge.tier} · edge ${edge.label}, ${edge.nodes.length ? `${edge.nodes.length - 1} cells` : "hollow"}${follows}`;
          best = { kind: "edge", id: edgeId(edge.id), words };
        }
      }
    }
  if (best) return best;
  if (model.dim === 3) return inSpace(model, to, cursor, may);
  if (may("block"))
    for (const block of model.blocks) {
      const border = [0, 1, 3, 2].map((n) => block.corners[n] as string);
      const outline = border.flatMap((corner, n) => {
        const next = border[(n + 1) % 4] as string;
        const edge = model.edges.find((e) => e.id.includes(corner) && e.id.includes(next));
        const path = (edge?.path ?? []).map(to);
        return edge?.id[0] === corner ? path : path.reverse();
      });
      if (inside(cursor, outline)) {
        const state = block.hollow ? "hollow" : `${block.cells.join(" × ")} cells`;
        return { kind: "block", id: block.id, words: `block ${block.label}, ${state}` };
      }
    }
  return null;
}

/** The outer side that lies in front under the cursor, or the block behind it. */
function inSpace(
  model: Model,
  to: (xyz: readonly number[]) => Point,
  cursor: Point,
  may: (kind: Taken) => boolean,
): Hit | null {
  if (!may("side") && !may("block")) return null;
  const paths = new Map(model.edges.map((edge) => [edgeId(edge.id), edge.path]));
  const hollow = new Set(model.blocks.filter((block) => block.hollow).map((block) => block.id));
  let front: Model["sides"][number] | null = null;
  let depth = Number.POSITIVE_INFINITY;
  for (const side of model.sides) {
    if (side.state !== "outer") continue;
    const outline = outlineOf(side.around, paths).map(to);
    const away = outline.reduce((sum, p) => sum + (p[2] ?? 0), 0) / Math.max(outline.length, 1);
    if (away < depth && inside(cursor, outline)) {
      depth = away;
      front = side;
    }
  }
  if (!front) return null;
  if (may("block") && !(may("side") && !may("corner"))) {
    const name = front.blocks.find((id) => !hollow.has(id));
    const block = model.blocks.find((one) => one.id === name);
    if (block)
      return {
        kind: "block",
        id: block.id,
        words: `block ${block.label}, ${block.cells.join(" × ")} cells`,
      };
  }
  const lies = front.lies ? `, lies on ${front.lies}` : "";
  return {
    kind: "side",
    id: front.id.join("|"),
    words: `${front.patch ?? "unnamed"} · side ${front.label}${lies}`,
  };
}

/** Walks the edges around a side. */
export function outlineOf(around: string[], paths: Map<string, number[][]>): number[][] {
  return around.flatMap((corner, n) => {
    const next = around[(n + 1) % around.length] as string;
    const path = paths.get(edgeId([corner, next].sort())) ?? [];
    return corner < next ? path : [...path].reverse();
  });
}

function fromPiece(p: Point, a: Point, b: Point): number {
  const [dx, dy] = [b[0] - a[0], b[1] - a[1]];
  const size = dx * dx + dy * dy;
  const t = size ? Math.min(Math.max(((p[0] - a[0]) * dx + (p[1] - a[1]) * dy) / size, 0), 1) : 0;
  return Math.hypot(p[0] - a[0] - t * dx, p[1] - a[1] - t * dy);
}

function inside(p: Point, border: Point[]): boolean {
  let odd = false;
  for (let n = 0, m = border.length - 1; n < border.length; m = n++) {
    const [a, b] = [border[n] as Point, border[m] as Point];
    if (
      a[1] > p[1] !== b[1] > p[1] &&
      p[0] < ((b[0] - a[0]) * (p[1] - a[1])) / (b[1] - a[1]) + a[0]
    )
      odd = !odd;
  }
  return odd;
}
