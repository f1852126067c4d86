import { Box } from "@chakra-ui/react";
import { short, whole } from "../../model/numbers";
import type { Effect } from "../../model/types";
import { useBoardData } from "../../session/context";
import { Empty, Quiet } from "../../theme/parts";
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
      <Empty>
        Choose a verb at the lower left, or click a corner, an edge or a block. Shift adds; a double
        click takes the whole tier.
      </Empty>
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
        </>
      )}
    </>
  );
}
