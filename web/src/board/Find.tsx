import { Box, Flex, Input, Text } from "@chakra-ui/react";
import { useState } from "react";
import { edgeId, type Selection, sideId } from "../model/selection";
import { STAGES, type Stage } from "../model/stage_words";
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

/** So many are listed at most: who looks for more types another letter. */
const MOST = 60;
/** Other words for the stages. */
const ALSO: Record<Stage, string> = {
  Shape: "geometry CAD curves surfaces",
  Blocks: "topology blocking",
  Spacing: "edges distribution counts",
  Smooth: "elliptic smoothing",
  Check: "quality metrics statistics",
  "Hand-off": "export write files download boundary conditions",
};

/** Whether a word of a text begins so: “rect” finds the rectangle, and no direction. */
const startsWord = (text: string, start: string): boolean =>
  text.startsWith(start) || text.includes(` ${start}`) || text.includes(`-${start}`);

/** How well a text fits words: 0 by its name, 1 by other words for it, 2 by what it is about; null not at all. */
function rankOf(one: Found, words: string[]): number | null {
  const texts = [one.name, `${one.name} ${one.also ?? ""}`];
  texts.push(`${texts[1]} ${one.where} ${one.about}`);
  const at = texts.findIndex((text) => words.every((word) => startsWord(text.toLowerCase(), word)));
  return at < 0 ? null : at;
}

/** Finds actions, steps, guides, blocks and patches by their names, the trade's words, or what they are about. */
export function Find() {
  const { kinds, begin, edit, undo, redo, model, steps } = useBoardData();
  const set = useBoard((board) => board.set);
  const [text, setText] = useState("");
  const [at, setAt] = useState(0);
  const select = (stage: Stage, selection: Selection) => {
    goToStage(stage, model);
    set({ selection });
  };
  const all: Found[] = [
    ...[...kinds.values()].map((kind) => ({
      name: kind.verb,
      where: kind.stage,
      key: kind.key,
      about: kind.about.split("\n")[0] ?? "",
      also: [...kind.known_as, ...kind.fields.flatMap((f) => [f.title, ...f.choices])].join(" · "),
      act: () => begin(kind.kind),
    })),
    ...STAGES.map((stage, n) => ({
      name: `Go to ${stage}`,
      where: "Route",
      key: `Alt ${n + 1}`,
      about: "",
      also: ALSO[stage],
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
    ...steps.map((step, n) => ({
      name: `Step ${n + 1}`,
      where: "Recipe",
      key: step.id,
      about: `${kinds.get(step.kind)?.verb ?? step.kind}: change it`,
      act: () => edit(step.id),
    })),
    ...model.guides.map((guide) => ({
      name: guide.name,
      where: "Shape",
      key: "guide",
      about: `Select this ${guide.kind}`,
      act: () => select("Shape", { kind: "guide", ids: [guide.name] }),
    })),
    ...model.blocks.map((block) => ({
      name: block.label,
      where: "Blocks",
      key: "block",
      about: block.hollow ? "Select this hollow block" : "Select this block",
      act: () => select("Blocks", { kind: "block", ids: [block.id] }),
    })),
    ...model.patches.map((patch) => ({
      name: patch.name,
      where: "Hand-off",
      key: "patch",
      about: `Select the sides of this patch, ${patch.type}`,
      act: () =>
        select("Hand-off", {
          kind: model.dim === 3 ? "side" : "edge",
          ids: patch.sides.map((side) => (model.dim === 3 ? sideId(side) : edgeId(side))),
        }),
    })),
  ];
  const words = text.toLowerCase().split(/\s+/).filter(Boolean);
  const found = all
    .flatMap((one) => {
      const rank = rankOf(one, words);
      return rank === null ? [] : [{ one, rank }];
    })
    .sort((a, b) => a.rank - b.rank)
    .map(({ one }) => one)
    .slice(0, MOST);
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
        aria-label="Find"
        bg="card"
        borderRadius="lg"
        boxShadow="lg"
        width="520px"
        overflow="hidden"
        onClick={(event) => event.stopPropagation()}
      >
        <Input
          autoFocus
          aria-label="Find"
          placeholder="Find an action, a step, a guide, a block or a patch: O-grid, split, periodic, inlet …"
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
              key={`${one.where} ${one.key} ${one.name}`}
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
          {!found.length && (
            <Text p="4">Nothing is called that. Try “cut”, “O-grid” or “inlet”.</Text>
          )}
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
