import { Box, Flex, Text } from "@chakra-ui/react";
import { useMutation } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { useLocation } from "wouter";
import { http, taken } from "../api/client";
import { useBoardData } from "../session/context";
import { underWay } from "../session/run";
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
import { Empty, Heading, Quiet, Wrong } from "../theme/parts";
import { SelectionFacts } from "./SelectionFacts";

/** What is in hand: the form of a step, or what is selected, or what the stage has to say. */
export function InHand() {
  const { problem, recipe } = useBoardData();
  const running = useBoard((board) => underWay(board.run));
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
      {recipe.role === "see" && <LookOnly />}
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

/** Tells whoever may only look at a project how to get one that can be changed. */
function LookOnly() {
  const { project } = useBoardData();
  const [, go] = useLocation();
  const copy = useMutation({
    mutationFn: () =>
      taken(http.POST("/api/projects/{project}/copies", { params: { path: { project } } })),
    onSuccess: (made) => go(`/project/${made.id}`),
  });
  return (
    <Box role="status" bg="tealSoft" borderRadius="md" px="3" py="2" fontSize="12px">
      <Text mb="2">Shared with you to look at. Try what you like: it is not kept.</Text>
      <Quiet disabled={copy.isPending} onClick={() => copy.mutate()}>
        Duplicate it
      </Quiet>
      {copy.error && <Wrong>{copy.error.message}</Wrong>}
    </Box>
  );
}

const Hint = ({ children }: { children: ReactNode }) => <Empty>{children}</Empty>;

const PANELS: Record<string, ReactNode> = {
  Shape: <ShapePanel />,
  Blocks: <BlocksPanel />,
  Spacing: <SpacingPanel />,
  Smooth: <Hint>Choose Smooth to set up a run. It starts from the grid that is there.</Hint>,
  Check: <CheckPanel />,
  "Hand-off": <HandoffPanel />,
};
