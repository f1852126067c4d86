import { Box, Flex, Text } from "@chakra-ui/react";
import { lengthText, whole } from "../../model/numbers";
import { useBoardData } from "../../session/context";
import { Empty, Quiet } from "../../theme/parts";
import { GridAdvice } from "../smooth/GridAdvice";
import { Compare } from "./Compare";
import { Metrics } from "./Metrics";
import { OnlyBad } from "./OnlyBad";
import { Probe } from "./Probe";
import { Report } from "./Report";
import { Sections } from "./Sections";
import { Walls } from "./Walls";

/** The gate, and all metrics at a glance; a click takes one into view. */
export function CheckPanel() {
  const { quality, model, begin, edit, steps, gridProblem } = useBoardData();
  if (!quality)
    return <Empty>{gridProblem || "There is no grid to check yet: make blocks first."}</Empty>;
  const gate = steps.findLast((step) => step.kind === "gate");
  const flow = steps.findLast((step) => step.kind === "flow");
  return (
    <Box pb="4">
      <Box
        role="status"
        aria-label="Gate"
        bg={quality.passed ? "tealSoft" : "madderSoft"}
        color={quality.passed ? "teal" : "madder"}
        borderRadius="md"
        px="3"
        py="2"
        mb="3"
      >
        <Text fontWeight="600" fontSize="14px">
          {quality.passed ? "✓ The gate is passed" : "✗ The gate is not passed"}
        </Text>
        <Text fontSize="12px">
          {quality.folded ? `${whole(quality.folded)} folded cells` : "no folded cell"} of{" "}
          {whole(quality.cells)}
        </Text>
        {quality.metrics
          .filter((m) => m.missed)
          .map((m) => (
            <Text key={m.key} fontSize="12px">
              {m.sentence}
            </Text>
          ))}
        {quality.parts
          .filter((part) => part.missed || part.metric === "leaks")
          .map((part) => (
            <Text key={part.sentence} fontSize="12px">
              {part.sentence}
            </Text>
          ))}
        {quality.fits
          .filter((fit) => fit.missed)
          .map((fit) => (
            <Text key={fit.guide} fontSize="12px">
              nodes lie up to {lengthText(fit.misfit, model.unit)} off “{fit.guide}”
            </Text>
          ))}
      </Box>
      <Probe metrics={quality.metrics} />
      <GridAdvice />
      <Metrics metrics={quality.metrics} parts={quality.parts} cells={quality.cells} />
      <Box mt="4" />
      {model.dim === 3 && <Sections />}
      <OnlyBad metrics={quality.metrics} />
      <Compare />
      <Walls fits={quality.fits} heights={quality.heights} />
      <Quiet mt="3" width="full" onClick={() => (gate ? edit(gate.id) : begin("gate"))}>
        Change the limits
      </Quiet>
      <Flex gap="2" mt="1.5">
        <Quiet flex="1" onClick={() => begin("own-limit")}>
          Limit a part
        </Quiet>
        <Quiet flex="1" onClick={() => (flow ? edit(flow.id) : begin("flow"))}>
          {flow ? "Change the flow" : "Set the flow"}
        </Quiet>
      </Flex>
      <Report />
    </Box>
  );
}
