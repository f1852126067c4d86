import { Box, chakra, Flex, Text } from "@chakra-ui/react";
import { lengthText } from "../../model/numbers";
import type { Quality } from "../../model/types";
import { useBoardData } from "../../session/context";
import { useBoard } from "../../session/store";

type Fit = Quality["fits"][number];

/** How far the grid lies off the guides that its sides follow; a click goes to the node furthest off. */
export function GuideFits({ fits }: { fits: Fit[] }) {
  const { model } = useBoardData();
  const set = useBoard((board) => board.set);
  if (!fits.length) return null;
  const spans = [0, 1, 2].map((n) => {
    const values = model.corners.map((corner) => corner.xyz[n] ?? 0);
    return Math.max(...values) - Math.min(...values);
  });
  const size = Math.max(...spans);
  const go = (fit: Fit) => set({ target: { at: fit.at, size: 0.15 * size, turn: Date.now() } });
  // What rounding leaves of a zero is told as one.
  const told = (value: number) => lengthText(value < 1e-9 * size ? 0 : value, model.unit);
  return (
    <Box mt="3">
      <Flex fontSize="11px" color="muted" px="2" gap="2">
        <Text flex="1">largest off guide</Text>
        <Text width="70px" textAlign="right" title="The largest distance of a node from the guide">
          misfit
        </Text>
        <Text
          width="70px"
          textAlign="right"
          title="How far the middles of faces are further off than their nodes: finer cells cure it"
        >
          sag
        </Text>
      </Flex>
      {fits.map((fit) => (
        <chakra.button
          key={fit.guide}
          type="button"
          display="flex"
          width="100%"
          alignItems="baseline"
          gap="2"
          px="2"
          py="1"
          borderRadius="4px"
          cursor="pointer"
          textAlign="left"
          fontSize="12px"
          _hover={{ bg: "ochreSoft" }}
          title={`${fit.sides} sides; on average ${told(fit.mean_misfit)} misfit and ${told(fit.mean_sag)} sag. Click to go to the node furthest off.`}
          onClick={() => go(fit)}
        >
          <Text flex="1" truncate>
            {fit.missed ? "✗ " : ""}
            {fit.guide}
          </Text>
          <Text
            fontFamily="mono"
            width="70px"
            textAlign="right"
            color={fit.missed ? "madder" : "ink"}
          >
            {told(fit.misfit)}
          </Text>
          <Text fontFamily="mono" width="70px" textAlign="right" color="muted">
            {told(fit.sag)}
          </Text>
        </chakra.button>
      ))}
    </Box>
  );
}
