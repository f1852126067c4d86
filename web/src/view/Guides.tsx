import { useMemo } from "react";
import { useBoardData } from "../board/context";
import { usePalette } from "../theme/mode";
import { piecesOf, Segments } from "./segments";

/** Guide curves, thin and teal; a guide point is a small cross. */
export function Guides({ origin }: { origin: number[] }) {
  const { model } = useBoardData();
  const palette = usePalette();
  const points = useMemo(() => {
    const size =
      0.012 *
      Math.max(
        ...model.guides.flatMap((g) => [0, 1].map((n) => (g.high[n] ?? 0) - (g.low[n] ?? 0))),
        1e-3,
      );
    const paths = model.guides.flatMap((guide) => {
      if (guide.kind !== "point") return [guide.xyz];
      const [x = 0, y = 0, z = 0] = guide.low;
      return [
        [
          [x - size, y, z],
          [x + size, y, z],
        ],
        [
          [x, y - size, z],
          [x, y + size, z],
        ],
      ];
    });
    return piecesOf(paths, origin);
  }, [model.guides, origin]);
  return <Segments points={points} color={palette.teal} width={1.4} order={10} />;
}
