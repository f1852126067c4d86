import { Box, Flex } from "@chakra-ui/react";
import type { ReactNode } from "react";
import { useBoardData } from "../session/context";
import { useBoard } from "../session/store";
import { BlocksPanel } from "../stages/blocks/BlocksPanel";
import { CheckPanel } from "../stages/check/CheckPanel";
import { StepForm } from "../stages/forms/StepForm";
import { HandoffPanel } from "../stages/handoff/HandoffPanel";
import { ShapePanel } from "../stages/shape/ShapePanel";
import { UnitForm } from "../stages/shape/UnitForm";
import { GridAdvice } from "../stages/smooth/GridAdvice";
import { SmoothPanel } from "../stages/smooth/SmoothPanel";
import { SpacingPanel } from "../stages/spacing/SpacingPanel";
import { WallHeight } from "../stages/spacing/WallHeight";
import { Empty, Heading, Wrong } from "../theme/parts";
import { SelectionFacts } from "./SelectionFacts";

/** What is in hand: the form of a step, or what is selected, or what the stage has to say. */
export function InHand() {
  const { problem } = useBoardData();
  const running = useBoard((board) => board.job !== null);
  const draft = useBoard((board) => board.draft);
  const stage = useBoard((board) => board.stage);
  const selection = useBoard((board) => board.selection);
  const count = selection.ids.length;
  const word = selection.kind;
  const unitAgain = draft?.step.kind === "unit" && !draft.isNew;
  return (
    <Flex
      as="aside"
      aria-label="In hand"
      direction="column"
      bg="card"
      borderLeft="1px solid"
      borderColor="rule"
      px="4"
      pt="3"
      overflowY="auto"
      minH="0"
      gap="3"
    >
      <Box mb="-2">
        <Heading right={count ? `${count} ${word}${count > 1 ? "s" : ""}` : "nothing"}>
          In hand
        </Heading>
      </Box>
      {problem && <Wrong>{problem}</Wrong>}
      {stage === "Smooth" && running && <SmoothPanel />}
      {unitAgain ? (
        <UnitForm />
      ) : draft ? (
        <>
          <StepForm draft={draft} />
          {draft.step.kind === "wall-layer" && <WallHeight />}
        </>
      ) : count ? (
        <SelectionFacts />
      ) : (
        PANELS[stage]
      )}
      {stage === "Smooth" && !draft && !running && <GridAdvice />}
      {stage === "Smooth" && !running && <SmoothPanel />}
      {stage === "Hand-off" && !draft && count > 0 && <HandoffPanel />}
    </Flex>
  );
}

const Hint = ({ children }: { children: ReactNode }) => <Empty>{children}</Empty>;

const PANELS: Record<string, ReactNode> = {
  Shape: <ShapePanel />,
  Blocks: <BlocksPanel />,
  Spacing: <SpacingPanel />,
  Smooth: <Hint>Choose Smooth to set up a run. The filled grid is where it starts from.</Hint>,
  Check: <CheckPanel />,
  "Hand-off": <HandoffPanel />,
};
