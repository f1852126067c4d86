import { Box, chakra, Flex, Grid, Text } from "@chakra-ui/react";
import { type PointerEvent as DragEvent, useLayoutEffect, useRef, useState } from "react";
import { moved, removed } from "../model/places";
import { sentence } from "../model/sentences";
import type { Step } from "../model/types";
import { useBoardData } from "../session/context";
import { waitsForRun } from "../session/run";
import { useBoard } from "../session/store";
import { useShow } from "../stages/forms/AdviceList";
import { Empty, Heading } from "../theme/parts";

const Chip = chakra("button", {
  base: {
    fontFamily: "mono",
    fontSize: "12px",
    bg: "ochreSoft",
    border: "1px solid",
    borderColor: "rule",
    borderRadius: "4px",
    px: "1",
    mx: "0.5",
    cursor: "pointer",
    textAlign: "left",
    overflowWrap: "anywhere",
    _hover: { borderColor: "ochre" },
  },
});

const ShowMe = chakra("button", {
  base: {
    ml: "1.5",
    textDecoration: "underline",
    textUnderlineOffset: "2px",
    cursor: "pointer",
    whiteSpace: "nowrap",
    _hover: { color: "ink" },
  },
});

/** The steps as sentences, the line that says where you are, and the verbs of the stage. */
export function Recipe() {
  const { project, steps } = useBoardData();
  const here = useBoard((board) => board.here);
  const set = useBoard((board) => board.set);
  const list = useRef<HTMLDivElement>(null);
  const lineRef = useRef<HTMLDivElement>(null);
  const keyed = useRef(false);
  useLayoutEffect(() => {
    // The line may have been put elsewhere in the list, which takes the focus from it.
    if (keyed.current) lineRef.current?.focus();
    keyed.current = false;
  });
  const [dragged, setDragged] = useState<number | null>(null);
  const at = dragged ?? here ?? steps.length;

  const gapAt = (y: number): number => {
    const rows = [...(list.current?.querySelectorAll("[data-step]") ?? [])];
    return rows.filter((row) => {
      const box = row.getBoundingClientRect();
      return box.top + box.height / 2 < y;
    }).length;
  };
  const goTo = (index: number) => set({ here: index >= steps.length ? null : Math.max(index, 0) });
  const byKey = (index: number) => {
    keyed.current = true;
    goTo(index);
  };
  const drag = {
    onPointerDown: (event: DragEvent) => {
      event.currentTarget.setPointerCapture(event.pointerId);
      setDragged(at);
    },
    onPointerMove: (event: DragEvent) => dragged !== null && setDragged(gapAt(event.clientY)),
    onPointerUp: (event: DragEvent) => {
      if (dragged !== null) goTo(gapAt(event.clientY));
      setDragged(null);
    },
  };
  const line = (
    <Flex
      key="here"
      ref={lineRef}
      role="slider"
      tabIndex={0}
      aria-label="You are here"
      aria-valuemin={0}
      aria-valuemax={steps.length}
      aria-valuenow={at}
      align="center"
      gap="2"
      py="1"
      px="4"
      cursor="ns-resize"
      color="rust"
      fontSize="12px"
      title="Drag, or press the arrow keys, to look at an earlier state"
      touchAction="none"
      onKeyDown={(event) => {
        if (event.key === "ArrowUp") byKey(at - 1);
        if (event.key === "ArrowDown") byKey(at + 1);
      }}
      {...drag}
    >
      you are here
      <Box flex="1" borderBottom="1.5px dashed" borderColor="rust" />
      {here !== null && (
        <Text
          as="button"
          cursor="pointer"
          textDecoration="underline"
          onPointerDown={(event) => event.stopPropagation()}
          onClick={() => goTo(steps.length)}
        >
          to the end
        </Text>
      )}
    </Flex>
  );
  return (
    <Flex
      as="aside"
      aria-label="Recipe"
      direction="column"
      bg="card"
      borderRight="1px solid"
      borderColor="rule"
      minH="0"
    >
      <Box px="4" pt="3">
        <Heading
          right={
            <>
              {steps.length} {steps.length === 1 ? "step" : "steps"} ·{" "}
              <chakra.a
                href={`/api/projects/${project}/recipe/download`}
                download
                color="teal"
                title="The recipe and its geometry files, ready for plodek build"
              >
                download
              </chakra.a>
            </>
          }
        >
          Recipe
        </Heading>
      </Box>
      <Box ref={list} flex="1" overflowY="auto" minH="0" pb="2">
        {steps.length === 0 && (
          <Box px="4">
            <Empty>
              No steps yet. Begin with the unit, then bring in or draw the shape, or frame a
              rectangle.
            </Empty>
          </Box>
        )}
        {steps.flatMap((step, index) => [
          index === at && line,
          <Row key={step.id} step={step} index={index} after={index >= at} />,
        ])}
        {at >= steps.length && line}
      </Box>
      <Verbs />
    </Flex>
  );
}

function Row({ step, index, after }: { step: Step; index: number; after: boolean }) {
  const { model, kinds, edit, keepSteps } = useBoardData();
  const show = useShow();
  const editing = useBoard((board) => board.draft?.step.id === step.id && !board.draft.isNew);
  const kind = kinds.get(step.kind);
  const state = model.steps[index];
  const parts = kind ? sentence(step, kind, state?.labels ?? {}) : [{ text: step.kind }];
  return (
    <Box
      data-step={step.id}
      className="group"
      position="relative"
      px="4"
      py="1.5"
      borderLeft="3px solid"
      borderColor={editing ? "ochre" : "transparent"}
      bg={editing ? "ochreSoft" : undefined}
      opacity={after || state?.state === "waiting" ? 0.55 : 1}
    >
      <Grid templateColumns="24px 1fr" alignItems="baseline">
        <Text fontFamily="mono" fontSize="11px" color="muted">
          {String(index + 1).padStart(2, "0")}
        </Text>
        <Box lineHeight="1.55">
          {parts.map((part, n) =>
            part.field ? (
              <Chip
                // biome-ignore lint/suspicious/noArrayIndexKey: a sentence's parts have no other name
                key={n}
                type="button"
                title="Change"
                onClick={() => edit(step.id, part.field)}
              >
                {part.text}
              </Chip>
            ) : (
              // biome-ignore lint/suspicious/noArrayIndexKey: a sentence's parts have no other name
              <Words key={n} text={part.text} first={n === 0} />
            ),
          )}
        </Box>
      </Grid>
      {state?.state === "error" && (
        <Text
          color={waitsForRun(state.code) ? "muted" : "madder"}
          fontSize="12px"
          pl="24px"
          role="alert"
        >
          {waitsForRun(state.code) ? "waits for the smoothing" : state.error}
        </Text>
      )}
      {state?.report.map((said) => (
        <Text key={said.text} color="teal" fontSize="11px" pl="24px">
          {said.text}
          {said.blocks.length > 0 && (
            <ShowMe title="The blocks that this is about" onClick={() => show(said)}>
              Show me
            </ShowMe>
          )}
        </Text>
      ))}
      {state?.state === "waiting" && (
        <Text color="muted" fontSize="11px" pl="24px">
          waits for the step above
        </Text>
      )}
      <Flex
        position="absolute"
        right="2"
        top="0.5"
        gap="0.5"
        opacity="0"
        _groupHover={{ opacity: 1 }}
        _focusWithin={{ opacity: 1 }}
      >
        <Tool label="Move up" text="↑" act={() => keepSteps((now) => moved(now, step.id, -1))} />
        <Tool label="Move down" text="↓" act={() => keepSteps((now) => moved(now, step.id, 1))} />
        <Tool label="Take out" text="×" act={() => keepSteps((now) => removed(now, step.id))} />
      </Flex>
    </Box>
  );
}

/** The words of a sentence, its verb in bold. */
function Words({ text, first }: { text: string; first: boolean }) {
  const [verb, ...rest] = text.split(" ");
  if (!first) return <Text as="span">{text}</Text>;
  return (
    <Text as="span">
      <b>{verb}</b> {rest.join(" ")}
    </Text>
  );
}

const Tool = ({ label, text, act }: { label: string; text: string; act: () => void }) => (
  <chakra.button
    type="button"
    aria-label={label}
    title={label}
    onClick={act}
    bg="card"
    border="1px solid"
    borderColor="rule"
    borderRadius="4px"
    width="18px"
    height="18px"
    lineHeight="1"
    fontSize="12px"
    cursor="pointer"
    _hover={{ bg: "ochreSoft" }}
  >
    {text}
  </chakra.button>
);

function Verbs() {
  const { kinds, begin, model } = useBoardData();
  const stage = useBoard((board) => board.stage);
  const space = useBoard((board) => board.space);
  const now = useBoard((board) => board.draft?.isNew && board.draft.step.kind);
  const all = [...kinds.values()].filter((kind) => kind.stage === stage);
  const families = [...new Set(all.map((kind) => kind.family))];
  const [wished, setWished] = useState("");
  const drafted = all.find((kind) => kind.kind === now)?.family;
  const family = drafted ?? (families.includes(wished) ? wished : (families[0] ?? ""));
  const verbs = all.filter((kind) => kind.family === family);
  return (
    <Box px="4" py="3" borderTop="1px solid" borderColor="rule">
      <Heading>Next step</Heading>
      {stage === "Smooth" && model.plane_step !== null && (
        <Empty>
          {space
            ? "In space: what you add smooths the lifted grid. Show the plane to smooth before the lift."
            : "In the plane: what you add smooths before the lift. Show it in space to smooth after it."}
        </Empty>
      )}
      {families.length > 1 && (
        <Flex gap="2.5" mb="2" wrap="wrap" role="tablist" aria-label="Kinds of steps">
          {families.map((name) => (
            <chakra.button
              key={name}
              type="button"
              role="tab"
              aria-selected={name === family}
              fontSize="11.5px"
              cursor="pointer"
              color={name === family ? "ink" : "muted"}
              fontWeight={name === family ? "600" : "400"}
              borderBottom="2px solid"
              borderColor={name === family ? "rust" : "transparent"}
              onClick={() => setWished(name)}
            >
              {name}
            </chakra.button>
          ))}
        </Flex>
      )}
      <Grid
        templateColumns={{ base: "repeat(3, minmax(0, 1fr))", xl: "repeat(4, minmax(0, 1fr))" }}
        gap="1.5"
      >
        {verbs.map((kind) => (
          <chakra.button
            key={kind.kind}
            type="button"
            title={kind.about}
            onClick={() => begin(kind.kind)}
            border="1px solid"
            borderColor={now === kind.kind ? "ochre" : "rule"}
            bg={now === kind.kind ? "ochreSoft" : "card"}
            borderRadius="md"
            py="1"
            cursor="pointer"
            lineHeight="1.25"
            _hover={{ borderColor: "ochre" }}
          >
            <Text fontSize="11px" fontWeight="500" lineHeight="1.15">
              {kind.verb}
            </Text>
            <Text fontFamily="mono" fontSize="10px" color="muted">
              {kind.key}
            </Text>
          </chakra.button>
        ))}
      </Grid>
    </Box>
  );
}
