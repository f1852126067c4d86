import { Box, Flex, Text } from "@chakra-ui/react";
import { useCauses } from "../../api/sections";
import type { Causes, Step } from "../../model/types";
import { useBoardData } from "../../session/context";
import { Fact, Quiet, Wrong } from "../../theme/parts";
import { useChosen } from "../../view/inside/useChosen";
import { useShow } from "../forms/AdviceList";

/** What made the cells that are shown alone: the parts of the layout that they stand at, and what helps. */
export function WhatMade() {
  const { project, recipe } = useBoardData();
  const { wish, asked } = useChosen();
  const found = useCauses(project, recipe.revision, wish, asked);
  if (found.error) return <Wrong>{found.error.message}</Wrong>;
  if (!found.data) return null;
  const { causes, patches, guides } = found.data;
  const named = (all: Record<string, number>) => Object.keys(all).slice(0, 3).join(", ");
  return (
    <Box>
      {named(patches) && <Fact name="nearest patches" value={named(patches)} />}
      {named(guides) && <Fact name="nearest guides" value={named(guides)} />}
      {causes.length > 0 && (
        <Text fontSize="11px" color="muted" mt="2" mb="1">
          What made them
        </Text>
      )}
      {causes.map((one) => (
        <One key={`${one.kind} ${one.text}`} cause={one} />
      ))}
    </Box>
  );
}

function One({ cause }: { cause: Causes["causes"][number] }) {
  const { keepSteps } = useBoardData();
  const show = useShow();
  const { advice } = cause;
  const added = (advice?.steps ?? []) as Step[];
  return (
    <Box
      bg="plumSoft"
      borderLeft="3px solid"
      borderColor="plum"
      borderRadius="sm"
      px="2.5"
      py="1.5"
      mb="1.5"
      fontSize="12px"
    >
      <Text>{cause.text}</Text>
      <Text color="plum">{added.length > 0 ? advice?.text : cause.cure}</Text>
      <Flex gap="1.5" mt="1">
        {advice && added.length > 0 && (
          <Quiet
            size="2xs"
            onClick={() =>
              keepSteps((now) => [...now.slice(0, advice.at), ...added, ...now.slice(advice.at)])
            }
          >
            Take it
          </Quiet>
        )}
        <Quiet size="2xs" onClick={() => show(cause)}>
          Show me
        </Quiet>
      </Flex>
    </Box>
  );
}
