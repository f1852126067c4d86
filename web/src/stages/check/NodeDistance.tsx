import { Box, Flex, NativeSelect, Text } from "@chakra-ui/react";
import { useState } from "react";
import { lengthText } from "../../model/numbers";
import type { Probed } from "../../model/types";
import { Fact, Quiet } from "../../theme/parts";

interface Node {
  name: string;
  at: number[];
}

/** The nodes of a cell, by their indices in its block. */
const nodesOf = (cell: Probed): Node[] =>
  cell.corners.map((at, n) => ({
    name: `${cell.block} (${cell.index.map((index, axis) => index + ((n >> axis) & 1)).join(", ")})`,
    at,
  }));

/** The distance between two nodes: one is kept in hand, the other is one of the cell looked at. */
export function NodeDistance({ cell, unit }: { cell: Probed; unit: string }) {
  const [from, setFrom] = useState<Node | null>(null);
  const [chosen, setChosen] = useState(0);
  const nodes = nodesOf(cell);
  const to = nodes[Math.min(chosen, nodes.length - 1)] as Node;
  const apart = from?.at.map((v, n) => (to.at[n] ?? 0) - v);
  return (
    <Box role="group" aria-label="Distance between nodes">
      <Flex align="center" gap="1.5" py="0.5">
        <NativeSelect.Root size="xs" flex="1">
          <NativeSelect.Field
            aria-label="Node"
            bg="card"
            borderColor="rule"
            fontFamily="mono"
            fontSize="11px"
            value={String(Math.min(chosen, nodes.length - 1))}
            onChange={(event) => setChosen(Number(event.target.value))}
          >
            {nodes.map((node, n) => (
              <option key={node.name} value={n}>
                node {node.name}
              </option>
            ))}
          </NativeSelect.Field>
          <NativeSelect.Indicator />
        </NativeSelect.Root>
        <Quiet size="2xs" onClick={() => setFrom(to)}>
          Measure from it
        </Quiet>
      </Flex>
      {from && apart && (
        <>
          <Fact
            name={`from ${from.name}`}
            value={
              <Text as="span" fontWeight="600">
                {lengthText(Math.hypot(...apart), unit)}
              </Text>
            }
          />
          <Fact name="in x, y, z" value={apart.map((v) => lengthText(v, unit)).join(", ")} />
        </>
      )}
    </Box>
  );
}
