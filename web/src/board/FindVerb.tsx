import { Box, Flex, Input, Text } from "@chakra-ui/react";
import { useState } from "react";
import { STAGES } from "../model/stage_words";
import { useBoardData } from "../session/context";
import { KEYS } from "../session/keys";
import { goToStage, useBoard } from "../session/store";

interface Found {
  name: string;
  where: string;
  key: string;
  about: string;
  /** More words it is found by. */
  also?: string;
  act: () => void;
}

/** Whether a word of a text begins so: “rect” finds the rectangle, and no direction. */
const startsWord = (text: string, start: string): boolean =>
  text.startsWith(start) || text.includes(` ${start}`) || text.includes(`-${start}`);

/** Finds any verb by its name or what it is about. */
export function FindVerb() {
  const { kinds, begin, undo, redo, model } = useBoardData();
  const set = useBoard((board) => board.set);
  const [text, setText] = useState("");
  const [at, setAt] = useState(0);
  const all: Found[] = [
    ...[...kinds.values()].map((kind) => ({
      name: kind.verb,
      where: kind.stage,
      key: kind.key,
      about: kind.about.split("\n")[0] ?? "",
      also: kind.fields.flatMap((field) => [field.title, ...field.choices]).join(" "),
      act: () => begin(kind.kind),
    })),
    ...STAGES.map((stage, n) => ({
      name: `Go to ${stage}`,
      where: "Route",
      key: `Alt ${n + 1}`,
      about: "",
      act: () => goToStage(stage, model),
    })),
    { name: "Undo", where: "Recipe", key: "Ctrl Z", about: "Go back one revision", act: undo },
    {
      name: "Redo",
      where: "Recipe",
      key: "Ctrl Shift Z",
      about: "Go forward one revision",
      act: redo,
    },
  ];
  const words = text.toLowerCase().split(/\s+/).filter(Boolean);
  const found = all.filter((one) => {
    const about = `${one.name} ${one.where} ${one.about} ${one.also ?? ""}`.toLowerCase();
    return words.every((word) => startsWord(about, word));
  });
  const choose = (one: Found | undefined) => {
    set({ finding: false });
    one?.act();
  };
  return (
    <Flex
      position="fixed"
      inset="0"
      bg="rgba(34,48,60,0.35)"
      justify="center"
      align="flex-start"
      pt="80px"
      zIndex="overlay"
      onClick={() => set({ finding: false })}
    >
      <Box
        role="dialog"
        aria-label="Find a verb"
        bg="card"
        borderRadius="lg"
        boxShadow="lg"
        width="520px"
        overflow="hidden"
        onClick={(event) => event.stopPropagation()}
      >
        <Input
          autoFocus
          aria-label="Find a verb"
          placeholder="Find a verb: cut, ring, wall, patch …"
          border="none"
          borderRadius="0"
          value={text}
          onChange={(event) => {
            setText(event.target.value);
            setAt(0);
          }}
          onKeyDown={(event) => {
            if (event.key === "Escape") choose(undefined);
            if (event.key === "Enter") choose(found[at]);
            if (event.key === "ArrowDown") setAt(Math.min(at + 1, found.length - 1));
            if (event.key === "ArrowUp") setAt(Math.max(at - 1, 0));
          }}
        />
        <Box maxH="380px" overflowY="auto" borderTop="1px solid" borderColor="rule" role="listbox">
          {found.map((one, n) => (
            <Flex
              key={`${one.where} ${one.name}`}
              role="option"
              aria-selected={n === at}
              px="4"
              py="1.5"
              gap="3"
              align="baseline"
              cursor="pointer"
              bg={n === at ? "ochreSoft" : undefined}
              onMouseEnter={() => setAt(n)}
              onClick={() => choose(one)}
            >
              <Text fontWeight="600" width="96px" flexShrink="0">
                {one.name}
              </Text>
              <Text color="muted" fontSize="12px" flex="1" truncate>
                {one.about || one.where}
              </Text>
              <Text fontFamily="mono" fontSize="11px" color="muted" flexShrink="0">
                {one.where} · {one.key}
              </Text>
            </Flex>
          ))}
          {!found.length && <Text p="4">Nothing is called that. Try “cut”, “ring” or “wall”.</Text>}
        </Box>
        <Flex
          px="4"
          py="2"
          gap="3"
          wrap="wrap"
          borderTop="1px solid"
          borderColor="rule"
          fontSize="11px"
          color="muted"
        >
          {KEYS.map(({ key, does }) => (
            <Text key={key} as="span">
              <Text as="span" fontFamily="mono">
                {key}
              </Text>{" "}
              {does}
            </Text>
          ))}
        </Flex>
      </Box>
    </Flex>
  );
}
