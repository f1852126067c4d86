import { Box, Flex, Text } from "@chakra-ui/react";
import { short, whole } from "../../model/numbers";
import type { Effect } from "../../model/types";
import { useBoardData } from "../../session/context";
import { useBoard } from "../../session/store";
import { Empty, Heading, Quiet } from "../../theme/parts";
import { AdviceList, Card, useShow } from "../forms/AdviceList";

/** What the Blocks stage has to say: what is wrong, what would be better, and what to do next. */
export function BlocksPanel() {
  const { model } = useBoardData();
  const show = useShow();
  return (
    <Box>
      {model.findings.map((finding) => (
        <Card key={finding.text} colour="madder" text={finding.text}>
          <Quiet onClick={() => show(finding)}>Show me</Quiet>
        </Card>
      ))}
      <AdviceList stage="Blocks" effect={cornersOf} />
      <Regions />
      <Empty>
        Choose a verb at the lower left, or click a corner, an edge or a block. Shift adds; a double
        click takes the whole tier.
      </Empty>
    </Box>
  );
}

/** The regions with their blocks and cells; a click takes a region's blocks in hand. */
function Regions() {
  const { model } = useBoardData();
  const set = useBoard((board) => board.set);
  if (model.regions.length < 2) return null;
  return (
    <Box mb="3">
      <Heading right={`${model.regions.length}`}>Regions</Heading>
      {model.regions.map((region) => {
        const blocks = model.blocks.filter((block) => block.region === region && !block.hollow);
        const cells = blocks.reduce((sum, b) => sum + b.cells.reduce((all, n) => all * n, 1), 0);
        const ids = blocks.map((block) => block.id);
        return (
          <Flex key={region} align="baseline" gap="2" fontSize="12px" mb="1">
            <Text fontWeight="600" flex="1" truncate>
              {region}
            </Text>
            <Text color="muted" whiteSpace="nowrap">
              {whole(ids.length)} {ids.length === 1 ? "block" : "blocks"}, {whole(cells)} cells
            </Text>
            <Quiet size="2xs" onClick={() => set({ selection: { kind: "block", ids } })}>
              Take
            </Quiet>
          </Flex>
        );
      })}
    </Box>
  );
}

function cornersOf(before: Effect, after: Effect) {
  return (
    <>
      block corners {short(before.smallest_corner)}° to {short(before.largest_corner)}° →{" "}
      <b>{short(after.smallest_corner)}°</b> to <b>{short(after.largest_corner)}°</b>,{" "}
      {whole(before.blocks)} → <b>{whole(after.blocks)}</b> blocks, <b>{whole(after.cells)}</b>{" "}
      cells
      {(before.folded ?? 0) > 0 && after.folded !== null && (
        <>
          , {whole(before.folded ?? 0)} → <b>{whole(after.folded)}</b> folded
          {after.coarse && " in a coarse trial"}
        </>
      )}
      {after.misfit != null && after.misfit > Math.max(2 * (before.misfit ?? 0), 1e-9) && (
        <>
          , nodes up to <b>{short(after.misfit)}</b> off their guides
        </>
      )}
    </>
  );
}
