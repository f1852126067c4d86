import { Box } from "@chakra-ui/react";
import { short, whole } from "../../model/numbers";
import type { Effect } from "../../model/types";
import { Empty } from "../../theme/parts";
import { AdviceList } from "../forms/AdviceList";
import { WallHeight } from "./WallHeight";

/** What the Spacing stage has to say: what would be better, the help with first heights, what to do next. */
export function SpacingPanel() {
  return (
    <Box>
      <AdviceList stage="Spacing" effect={jumpsOf} />
      <Empty>
        Click an edge to see its cells, and drag the ends of the chart below; Wall layer (W) spaces
        all that leaves a wall. Counts can be typed in the strip.
      </Empty>
      <WallHeight />
    </Box>
  );
}

function jumpsOf(before: Effect, after: Effect) {
  return (
    <>
      {whole(before.jumps)} → <b>{whole(after.jumps)}</b> jumps, worst growth along an edge{" "}
      {short(before.growth)} → <b>{short(after.growth)}</b>, {whole(before.cells)} →{" "}
      <b>{whole(after.cells)}</b> cells
    </>
  );
}
