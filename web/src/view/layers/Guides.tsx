import { useMemo } from "react";
import { useBoardData } from "../../session/context";
import { useBoard } from "../../session/store";
import { usePalette } from "../../theme/mode";
import { guideColours } from "../../theme/palette";
import type { Extent } from "../extent";
import { useClip } from "./Surfaces";
import { piecesOf, Segments } from "./segments";

/** Guide curves and points, in the colour of their group; what is in hand is thick and ochre. */
export function Guides({ extent, spatial }: { extent: Extent; spatial: boolean }) {
  const { origin } = extent;
  const planes = useClip(extent);
  const { model } = useBoardData();
  const hidden = useBoard((board) => board.hidden);
  const seeThrough = useBoard((board) => board.seeThrough);
  const selection = useBoard((board) => board.selection);
  const palette = usePalette();
  const groups = useMemo(() => {
    const size =
      0.012 *
      Math.max(
        ...model.guides.flatMap((g) => [0, 1, 2].map((n) => (g.high[n] ?? 0) - (g.low[n] ?? 0))),
        1e-3,
      );
    const off = new Set(hidden);
    const taken = new Set(selection.kind === "guide" ? selection.ids : []);
    const colours = guideColours(model.groups, palette);
    const found = new Map<string, number[][][]>();
    for (const guide of model.guides) {
      if (off.has(guide.name) || guide.dim === 2) continue;
      const colour = taken.has(guide.name) ? palette.ochre : colours(guide.name);
      const paths = found.get(colour) ?? [];
      paths.push(...(guide.dim === 0 ? cross(guide.low, size) : [guide.xyz]));
      found.set(colour, paths);
    }
    return [...found].map(([colour, paths]) => ({ colour, points: piecesOf(paths, origin) }));
  }, [model.guides, model.groups, hidden, selection, palette, origin]);
  return groups.map(({ colour, points }) => (
    <Segments
      key={colour}
      points={points}
      color={colour}
      width={colour === palette.ochre ? 3.4 : 1.6}
      order={10}
      planes={spatial ? planes : []}
      hide={spatial && !seeThrough && colour !== palette.ochre}
    />
  ));
}

/** A guide point is a small cross, in all three directions. */
const cross = (at: number[], size: number): number[][][] =>
  [0, 1, 2].map((axis) =>
    [-size, size].map((by) => [0, 1, 2].map((n) => (at[n] ?? 0) + (n === axis ? by : 0))),
  );
