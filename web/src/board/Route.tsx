import { Box, Button, Flex, Grid, Text } from "@chakra-ui/react";
import { useLocation } from "wouter";
import { STAGES, type StageWord, stageWord } from "../model/stage_words";
import { useBoardData } from "../session/context";
import { goToStage, useBoard } from "../session/store";
import { useMode } from "../theme/mode";

/** The six stages as stops on a line, each with its state in words. */
export function Route() {
  const { recipe, model, quality, undo, redo, busy } = useBoardData();
  const stage = useBoard((board) => board.stage);
  const set = useBoard((board) => board.set);
  const mode = useMode();
  const [, go] = useLocation();
  return (
    <Flex as="header" bg="bar" color="barText" height="58px" align="center" px="4" gap="4">
      <Box width={{ base: "150px", xl: "220px" }} flexShrink="0" minW="0">
        <Text
          as="button"
          display="block"
          fontSize="17px"
          fontWeight="600"
          cursor="pointer"
          onClick={() => go("/")}
          title="Back to the shelf"
        >
          Plodek
        </Text>
        <Text fontSize="11px" color="barMuted" truncate>
          {recipe.name}
        </Text>
      </Box>
      <Grid
        as="nav"
        aria-label="Stages"
        templateColumns="repeat(6, 1fr)"
        flex="1"
        maxW="860px"
        mx="auto"
      >
        {STAGES.map((name, index) => (
          <Stop
            key={name}
            name={name}
            word={stageWord(name, model, quality)}
            now={name === stage}
            first={index === 0}
            last={index === STAGES.length - 1}
            go={() => goToStage(name, model)}
          />
        ))}
      </Grid>
      <Flex gap="1.5" flexShrink="0">
        <Key
          onClick={undo}
          disabled={!recipe.can_undo || busy || recipe.role === "see"}
          title="Undo (Ctrl Z)"
        >
          Undo
        </Key>
        <Key
          onClick={redo}
          disabled={!recipe.can_redo || busy || recipe.role === "see"}
          title="Redo (Ctrl Shift Z)"
        >
          Redo
        </Key>
        <Key
          onClick={() => set({ finding: true })}
          title="Find an action, a step, a guide, a block or a patch (Ctrl K)"
        >
          Ctrl K
        </Key>
        <Key onClick={mode.turn} title="Light or dark" aria-label="Light or dark">
          {mode.dark ? "☀" : "☾"}
        </Key>
      </Flex>
    </Flex>
  );
}

interface StopProps {
  name: string;
  word: StageWord;
  now: boolean;
  first: boolean;
  last: boolean;
  go: () => void;
}

function Stop({ name, word, now, first, last, go }: StopProps) {
  return (
    <Box
      as="button"
      position="relative"
      cursor="pointer"
      textAlign="center"
      onClick={go}
      aria-current={now ? "step" : undefined}
      minW="0"
    >
      <Box
        position="absolute"
        top="6px"
        left={first ? "50%" : 0}
        right={last ? "50%" : 0}
        height="1px"
        bg="barMuted"
        opacity="0.55"
      />
      <Box
        position="relative"
        width="12px"
        height="12px"
        mx="auto"
        borderRadius="full"
        border="2px solid"
        borderColor={now ? "ochre" : word.state === "wrong" ? "#f2a08c" : "barText"}
        bg={
          now
            ? "ochre"
            : word.state === "empty"
              ? "bar"
              : word.state === "wrong"
                ? "#f2a08c"
                : "barText"
        }
      />
      <Text fontSize="13px" fontWeight="600" color={now ? "#e7bd6c" : "barText"} lineHeight="1.3">
        {name}
      </Text>
      <Text fontSize="11px" color={word.state === "wrong" ? "#f6b3a2" : "barMuted"} truncate px="1">
        {word.text}
      </Text>
    </Box>
  );
}

const Key = (props: React.ComponentProps<typeof Button>) => (
  <Button
    variant="outline"
    size="xs"
    color="barText"
    borderColor="#56636e"
    bg="transparent"
    fontWeight="500"
    _hover={{ bg: "#33424f" }}
    {...props}
  />
);
