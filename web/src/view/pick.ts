/** Finding what lies under the cursor: corners first, then edges, then sides and blocks; what is in front before what is behind. */
import { type Camera, Vector3 } from "three";
import type { Hit, Point } from "../model/looking";
import { edgeId, idOf, type Taken } from "../model/selection";
import type { Block, Corner, Edge, Guide, Model } from "../model/types";
import type { Outline } from "./apart";

const CORNER_REACH = 9;
const EDGE_REACH = 7;
/** Pixels within which two things are as near as each other to the cursor. */
const SAME = 2;

/** What can be picked, where it is drawn. */
export interface Drawn {
  corners: readonly Corner[];
  edges: readonly Edge[];
  outlines: readonly Outline[];
}

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

/** Finds what is nearest to a pixel among what may be taken; of what lies as near, what is in front. */
export function hitAt(
  model: Model,
  drawn: Drawn,
  to: (xyz: readonly number[]) => Point,
  cursor: Point,
  wanted: Taken[] | null,
): Hit | null {
  const may = (kind: Taken) => wanted === null || wanted.includes(kind);
  if (may("corner")) {
    const corner = frontmost(drawn.corners, CORNER_REACH, ({ xyz }) => {
      const [x, y, depth] = to(xyz);
      return [Math.hypot(x - cursor[0], y - cursor[1]), depth ?? 0];
    });
    const held = corner && { pinned: "pinned", free: "free", guide: `on ${corner.guide}` };
    if (corner && held) {
      const words = `corner ${corner.label}, ${held[corner.sign]}`;
      return { kind: "corner", id: corner.id, words };
    }
  }
  if (may("edge")) {
    const edge = frontmost(drawn.edges, EDGE_REACH, ({ path }) => {
      const seen = path.map(to);
      let best: [number, number] = [Number.POSITIVE_INFINITY, 0];
      for (let n = 1; n < seen.length; n++) {
        const [a, b] = [seen[n - 1] as Point, seen[n] as Point];
        const away = fromPiece(cursor, a, b);
        if (away < best[0]) best = [away, Math.min(a[2] ?? 0, b[2] ?? 0)];
      }
      return best;
    });
    if (edge) {
      const follows = edge.follows ? `, follows ${edge.follows}` : "";
      const cells = edge.nodes.length ? `${edge.nodes.length - 1} cells` : "hollow";
      const words = `${edge.tier} · edge ${edge.label}, ${cells}${follows}`;
      return { kind: "edge", id: edgeId(edge.id), words };
    }
  }
  if (model.dim === 3) return inSpace(model, drawn.outlines, to, cursor, may);
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
        return { kind: "block", id: block.id, words: blockWords(block, model) };
      }
    }
  return null;
}

function blockWords(block: Block, model: Model): string {
  const state = block.hollow ? "hollow" : `${block.cells.join(" × ")} cells`;
  return `block ${block.label}, ${state}${model.regions.length > 1 ? ` · region ${block.region}` : ""}`;
}

/** The one that lies in front among those that are about as near to the cursor as the nearest. */
function frontmost<T>(
  all: readonly T[],
  reach: number,
  seen: (one: T) => [away: number, depth: number],
): T | null {
  const near = all
    .map((one) => ({ one, at: seen(one) }))
    .filter(({ at: [away] }) => away < reach)
    .sort((a, b) => a.at[0] - b.at[0]);
  const most = (near[0]?.at[0] ?? 0) + SAME;
  const front = near
    .filter(({ at: [away] }) => away <= most)
    .sort((a, b) => a.at[1] - b.at[1] || a.at[0] - b.at[0]);
  return front[0]?.one ?? null;
}

/** The side that lies in front under the cursor, or the block behind it. */
function inSpace(
  model: Model,
  outlines: readonly Outline[],
  to: (xyz: readonly number[]) => Point,
  cursor: Point,
  may: (kind: Taken) => boolean,
): Hit | null {
  if (!may("side") && !may("block")) return null;
  let front: Outline | null = null;
  let depth = Number.POSITIVE_INFINITY;
  for (const outline of outlines) {
    const rim = outline.path.map(to);
    const away = rim.reduce((sum, p) => sum + (p[2] ?? 0), 0) / Math.max(rim.length, 1);
    if (away < depth && inside(cursor, rim)) {
      depth = away;
      front = outline;
    }
  }
  if (!front) return null;
  if (may("block") && !(may("side") && !may("corner"))) {
    const name = front.block;
    const block = model.blocks.find((one) => one.id === name);
    if (block) return { kind: "block", id: block.id, words: blockWords(block, model) };
  }
  const { side } = front;
  const lies = side.lies ? `, lies on ${side.lies}` : "";
  return {
    kind: "side",
    id: idOf(side.id),
    words: `${side.patch ?? "unnamed"} · side ${side.label}${lies}`,
  };
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
