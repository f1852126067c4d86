import { Box, chakra, Flex, Text } from "@chakra-ui/react";
import { lengthText, short, whole } from "../../model/numbers";
import { useBoardData } from "../../session/context";
import { useBoard } from "../../session/store";
import { Empty, Quiet } from "../../theme/parts";
import { GridAdvice } from "../smooth/GridAdvice";
import { OnlyBad } from "./OnlyBad";
import { Probe } from "./Probe";
import { Sections } from "./Sections";
import { Walls } from "./Walls";

/** The gate, and all metrics at a glance; a click takes one into view. */
export function CheckPanel() {
  const { quality, model, begin, edit, steps, gridProblem } = useBoardData();
  const metric = useBoard((board) => board.metric);
  const set = useBoard((board) => board.set);
  if (!quality)
    return <Empty>{gridProblem || "There is no grid to check yet: make blocks first."}</Empty>;
  const gate = steps.findLast((step) => step.kind === "gate");
  return (
    <Box>
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
      <Flex fontSize="11px" color="muted" px="2">
        <Text flex="1">worst value</Text>
        <Text>limit</Text>
      </Flex>
      {quality.metrics.map((m) => (
        <chakra.button
          key={m.key}
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
          aria-pressed={metric === m.key}
          bg={metric === m.key ? "ochreSoft" : undefined}
          _hover={{ bg: "ochreSoft" }}
          onClick={() => set({ metric: m.key, layer: "Quality", shown: [] })}
        >
          <Text flex="1" fontSize="12px">
            {m.missed ? "✗ " : ""}
            {m.label}
          </Text>
          <Text fontFamily="mono" fontSize="12px" color={m.missed ? "madder" : "ink"}>
            {short(m.worst)}
            {m.unit}
          </Text>
          <Text fontFamily="mono" fontSize="11px" color="muted" width="52px" textAlign="right">
            {m.limit === null ? "none" : `${m.better === "high" ? "≥" : "≤"} ${m.limit}${m.unit}`}
          </Text>
        </chakra.button>
      ))}
      <Box mt="4" />
      {model.dim === 3 && <Sections />}
      <OnlyBad metrics={quality.metrics} />
      <Walls fits={quality.fits} heights={quality.heights} />
      <Quiet mt="3" width="full" onClick={() => (gate ? edit(gate.id) : begin("gate"))}>
        Change the limits
      </Quiet>
    </Box>
  );
}
