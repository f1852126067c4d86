import { Html } from "@react-three/drei";
import { useMemo } from "react";
import { valueWithUnit } from "../../model/measuring";
import { useBoard } from "../../session/store";
import { usePalette } from "../../theme/mode";
import type { Three } from "../extent";
import { piecesOf, Segments } from "./segments";

/** Where measurements were taken, with their first value; and free edges found by mending. */
export function Marks({ origin }: { origin: number[] }) {
  const measured = useBoard((board) => board.measured);
  const freeEdges = useBoard((board) => board.freeEdges);
  const stage = useBoard((board) => board.stage);
  const palette = usePalette();
  const free = useMemo(() => piecesOf(freeEdges, origin), [freeEdges, origin]);
  const lines = useMemo(
    () =>
      piecesOf(
        measured
          .filter((m) => m.result.mark.length > 1 && m.wish !== "extent")
          .map((m) => m.result.mark),
        origin,
      ),
    [measured, origin],
  );
  if (stage !== "Shape") return null;
  return (
    <>
      <Segments points={free} color={palette.madder} width={3.4} order={28} />
      <Segments points={lines} color={palette.plum} width={2} order={29} />
      {measured.map(({ id, result, unit }) => {
        const first = result.values[0];
        const middle = [0, 1, 2].map(
          (n) =>
            result.mark.reduce((sum, p) => sum + (p[n] ?? 0), 0) / result.mark.length -
            (origin[n] ?? 0),
        ) as Three;
        return (
          first && (
            <Html
              key={id}
              position={middle}
              center
              zIndexRange={[5, 0]}
              style={{ pointerEvents: "none" }}
            >
              <span
                style={{
                  background: palette.plumSoft,
                  color: palette.plum,
                  border: `1px solid ${palette.plum}`,
                  borderRadius: 9,
                  padding: "1px 7px",
                  fontSize: 11.5,
                  fontFamily: "IBM Plex Mono, monospace",
                  whiteSpace: "nowrap",
                }}
              >
                {valueWithUnit(first.value, first.power, unit)}
              </span>
            </Html>
          )
        );
      })}
    </>
  );
}
