import { useMemo } from "react";
import { useBoard } from "../../session/store";
import { usePalette } from "../../theme/mode";
import { piecesOf, Segments } from "./segments";

const PLANE = [
  [0, 1],
  [1, 3],
  [3, 2],
  [2, 0],
];
const SPACE = [...PLANE, [4, 5], [5, 7], [7, 6], [6, 4], [0, 4], [1, 5], [2, 6], [3, 7]];

/** The outlines of the cells that a bar of the histogram, or “go there”, has picked out. */
export function CellBoxes({ origin }: { origin: number[] }) {
  const shown = useBoard((board) => board.shown);
  const palette = usePalette();
  const points = useMemo(() => {
    const paths = shown.flatMap(({ corners }) =>
      (corners.length === 8 ? SPACE : PLANE).map(([a, b]) => [
        corners[a as number] as number[],
        corners[b as number] as number[],
      ]),
    );
    return piecesOf(paths, origin);
  }, [shown, origin]);
  return <Segments points={points} color={palette.madder} width={2} order={30} />;
}
