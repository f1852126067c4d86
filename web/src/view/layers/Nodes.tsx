import { useMemo } from "react";
import type { Edge } from "../../model/types";
import { useBoard } from "../../session/store";
import { usePalette } from "../../theme/mode";
import { cividis } from "../../theme/palette";
import type { Three } from "../extent";
import { useDrawn } from "./drawn";
import { piecesOf, Segments } from "./segments";

/** Steps of the colour scale. */
export const SHADES = 12;
/** Cells beyond this number are not drawn one by one. */
const MOST = 40_000;

const css = (share: number): string =>
  `rgb(${cividis(share)
    .map((v) => Math.round(255 * v))
    .join(",")})`;

/** The range of the colours: sizes from fine to coarse, or growth from 1 to half as much over the limit. */
export function shadeRange(edges: Edge[], by: "size" | "growth", limit: number): [number, number] {
  if (by === "growth") return [1, 1 + 1.5 * (limit - 1)];
  let [low, high] = [Number.POSITIVE_INFINITY, 0];
  for (const edge of edges)
    for (let n = 1; n < edge.nodes.length; n++) {
      const d = ((edge.nodes[n] as number) - (edge.nodes[n - 1] as number)) * edge.length;
      low = Math.min(low, d);
      high = Math.max(high, d);
    }
  return [low, Math.max(high, low * 1.0001)];
}

/** In Spacing: the cells of the edges, coloured by size or growth, and the jumps over the limit. */
export function Nodes({ origin }: { origin: number[] }) {
  const model = useDrawn();
  const by = useBoard((board) => board.edgesBy);
  const stage = useBoard((board) => board.stage);
  const palette = usePalette();
  const on = stage === "Spacing";
  const shades = useMemo(
    () => (on && by !== "plain" ? shaded(model.edges, by, model.growth_limit, origin) : []),
    [on, model, by, origin],
  );
  const ticks = useMemo(
    () => (on && by === "plain" ? ticksOf(model.edges, origin) : []),
    [on, model, by, origin],
  );
  const diagonal = useMemo(() => {
    const of = (n: number) => model.corners.map((c) => c.xyz[n] ?? 0);
    return Math.hypot(
      ...[0, 1, 2].map((n) => Math.max(...of(n), -1e300) - Math.min(...of(n), 1e300)),
    );
  }, [model.corners]);
  const jumps = useMemo(() => {
    const r = 0.014 * diagonal;
    return on
      ? piecesOf(
          model.jumps.flatMap((jump) => diamond(jump.at, r)),
          origin,
        )
      : [];
  }, [on, model.jumps, diagonal, origin]);
  if (!on) return null;
  return (
    <>
      <Segments points={ticks} color={palette.ink} width={1} order={15} />
      {shades.map((points, n) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: a shade is its place on the scale
        <Segments key={n} points={points} color={css(n / (SHADES - 1))} width={5} order={15} />
      ))}
      <Segments points={jumps} color={palette.madder} width={3} order={17} />
    </>
  );
}

/** A place at a fraction of a path's length. */
function along(path: number[][], lengths: number[], s: number): number[] {
  const want = s * (lengths.at(-1) ?? 0);
  let n = lengths.findIndex((l) => l >= want);
  if (n < 1) n = 1;
  const [a, b] = [lengths[n - 1] as number, lengths[n] as number];
  const part = b > a ? Math.min(Math.max((want - a) / (b - a), 0), 1) : 0;
  const [p, q] = [path[n - 1] as number[], path[n] as number[]];
  return p.map((v, k) => v + part * ((q[k] ?? v) - v));
}

function lengthsOf(path: number[][]): number[] {
  const found = [0];
  for (let n = 1; n < path.length; n++) {
    const [p, q] = [path[n - 1] as number[], path[n] as number[]];
    found.push((found[n - 1] as number) + Math.hypot(...p.map((v, k) => (q[k] ?? v) - v)));
  }
  return found;
}

const spaced = (edges: Edge[]) => {
  const filled = edges.filter((edge) => edge.nodes.length > 1);
  return filled.reduce((sum, edge) => sum + edge.nodes.length, 0) > MOST ? [] : filled;
};

/** The cells of all edges as pieces, by shade: fine and steady is light, coarse or jumping is dark. */
function shaded(edges: Edge[], by: "size" | "growth", limit: number, origin: number[]): Three[][] {
  const found: Three[][] = Array.from({ length: SHADES }, () => []);
  const [low, high] = shadeRange(edges, by, limit);
  for (const edge of spaced(edges)) {
    const lengths = lengthsOf(edge.path);
    const d = edge.nodes.slice(1).map((s, n) => (s - (edge.nodes[n] as number)) * edge.length);
    const places = edge.nodes.map((s) => along(edge.path, lengths, s));
    d.forEach((size, n) => {
      const next = d[n + 1] ?? d[n - 1] ?? size;
      const value = by === "size" ? size : Math.max(size / next, next / size);
      const share =
        by === "size" ? Math.log(value / low) / Math.log(high / low) : (value - low) / (high - low);
      const shade = Math.round((1 - Math.min(Math.max(share, 0), 1)) * (SHADES - 1));
      found[shade]?.push(...piecesOf([[places[n] as number[], places[n + 1] as number[]]], origin));
    });
  }
  return found;
}

/** Short strokes at the nodes of edges, crosswise to them in the plane's sight. */
function ticksOf(edges: Edge[], origin: number[]): Three[] {
  const filled = spaced(edges);
  const usual = filled.length
    ? filled.reduce((sum, edge) => sum + edge.length, 0) / filled.length
    : 0;
  const strokes = filled.flatMap((edge) => {
    const lengths = lengthsOf(edge.path);
    return edge.nodes.slice(1, -1).map((s) => {
      const at = along(edge.path, lengths, s);
      const ahead = along(edge.path, lengths, Math.min(1, s + 1e-3));
      const way = ahead.map((v, k) => v - (at[k] ?? 0));
      const size = Math.hypot(...way) || 1;
      const across = [-(way[1] ?? 0) / size, (way[0] ?? 0) / size, 0];
      if (Math.hypot(...across) < 1e-6) across[0] = 1; // an edge along z
      const half = 0.007 * usual;
      return [
        at.map((v, k) => v - half * (across[k] ?? 0)),
        at.map((v, k) => v + half * (across[k] ?? 0)),
      ];
    });
  });
  return piecesOf(strokes, origin);
}

/** A diamond about a place, so that a jump is not told by its colour alone. */
function diamond(at: number[], r: number): number[][][] {
  const ways = [
    [1, 0, 0],
    [0, 1, 0],
    [0, 0, 1],
  ];
  const tips = ways.map((way) =>
    [1, -1].map((sign) => at.map((v, k) => v + sign * r * (way[k] ?? 0))),
  );
  return tips.flatMap((one, n) =>
    tips.slice(n + 1).flatMap((other) => one.flatMap((p) => other.map((q) => [p, q]))),
  );
}
