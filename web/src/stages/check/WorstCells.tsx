import { Box, chakra, Flex, Text } from "@chakra-ui/react";
import { useState } from "react";
import { short } from "../../model/numbers";
import type { Cell } from "../../model/types";
import { useBoardData } from "../../session/context";
import { useBoard } from "../../session/store";
import { Empty, Quiet } from "../../theme/parts";
import { MetricTable, PARTS, type PartName } from "./MetricTable";

/** The worst cells of the metric in view, the worst first, each with “go there”; or the metric by parts. */
export function WorstCells() {
  const [by, setBy] = useState<PartName | null>(null);
  const { quality } = useBoardData();
  const set = useBoard((board) => board.set);
  // What rounding leaves of a zero, beside where the other cells are.
  const tiny = 1e-9 * Math.max(0, ...(quality?.worst ?? []).flatMap((c) => c.at.map(Math.abs)));
  const metric = quality?.metrics.find((m) => m.key === quality.metric);
  const go = (cell: Cell) => {
    const spread = [0, 1, 2].map((n) => {
      const values = cell.corners.map((corner) => corner[n] ?? 0);
      return Math.max(...values) - Math.min(...values);
    });
    const target = { at: cell.at, size: 14 * Math.max(...spread), turn: Date.now() };
    set({ shown: [cell], probe: cell.cell, target, layer: "Quality" });
  };
  return (
    <Flex direction="column" minH="0">
      <Flex gap="1" mb="1.5" role="group" aria-label="What is told">
        {([null, ...PARTS] as const).map((one) => (
          <Quiet
            key={one}
            size="2xs"
            aria-pressed={by === one}
            bg={by === one ? "ochreSoft" : "card"}
            onClick={() => setBy(one)}
          >
            {one ? `by ${one}` : "Worst cells"}
          </Quiet>
        ))}
      </Flex>
      {by && metric && <MetricTable key={by} by={by} metric={metric} />}
      <Box overflowY="auto" flex="1" minH="0" hidden={by !== null}>
        {!quality && <Empty>They appear with the grid.</Empty>}
        {quality?.worst.map((cell) => (
          <Flex
            key={`${cell.block} ${cell.index.join(",")}`}
            align="center"
            gap="2"
            fontSize="12px"
            height="22px"
          >
            <Text fontFamily="mono" fontWeight="500" width="50px">
              {short(cell.value)}
              {metric?.unit}
            </Text>
            <Text width="112px" whiteSpace="nowrap">
              {cell.block}{" "}
              <chakra.span fontFamily="mono" color="muted">
                ({cell.index.join(", ")})
              </chakra.span>
            </Text>
            <Text flex="1" fontFamily="mono" color="muted" fontSize="11px" truncate>
              {cell.at.map((v) => short(Math.abs(v) < tiny ? 0 : v)).join(", ")}
            </Text>
            <Quiet size="2xs" onClick={() => go(cell)}>
              Go there
            </Quiet>
          </Flex>
        ))}
      </Box>
    </Flex>
  );
}
