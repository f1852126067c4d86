import { Box, Flex, NativeSelect, Text } from "@chakra-ui/react";
import { useEffect, useRef, useState } from "react";
import { lengthText, short, whole } from "../../model/numbers";
import type { Section } from "../../model/types";
import { useBoardData } from "../../session/context";
import {
  type Box as Around,
  further,
  kindOf,
  movedTo,
  position,
  range,
  STEP,
  WORDS,
} from "../../session/sections";
import { useBoard } from "../../session/store";
import { Quiet } from "../../theme/parts";
import { Slide } from "../../view/Slide";
import { Check, Places, Typed } from "./SectionFields";

/** The share of its way that a section is swept by at each picture. */
const SWEEP = 0.012;

interface RowProps {
  section: Section;
  box: Around;
  guides: string[];
  inHand: boolean;
  take: () => void;
  change: (to: Section) => void;
  remove: () => void;
  /** What came of it, where it is shown. */
  told?: { area: number; cells: number; problem: string };
  waiting: boolean;
}

/** A section in the list: in hand with all that moves it, others in a line. */
export function SectionRow({
  section,
  box,
  guides,
  inHand,
  take,
  change,
  remove,
  told,
  waiting,
}: RowProps) {
  const { model } = useBoardData();
  const set = useBoard((board) => board.set);
  const [swept, setSwept] = useState(false);
  const kind = kindOf(section);
  const [low, high] = range(section, box);
  const move = (to: Section) => {
    change(to);
    set({ part: { kind: "sections" } });
  };
  const slide = useWheel((way) => move(further(section, box, way * STEP)));
  // Swept on its own: it goes on as soon as the last picture is there.
  useEffect(() => {
    if (!swept || waiting) return;
    const timer = setTimeout(() => change(further(section, box, SWEEP, true)), 40);
    return () => clearTimeout(timer);
  }, [swept, waiting, section, box, change]);
  const at =
    kind === "guide" ? short(position(section)) : lengthText(position(section), model.unit);
  const show = (
    <Check label="show" on={section.shown} set={(shown) => move({ ...section, shown })} />
  );
  const takeOut = (
    <Quiet aria-label="Take the section out" onClick={remove}>
      ×
    </Quiet>
  );
  const problem = told?.problem && (
    <Text fontSize="11.5px" color="madder" mt="1">
      {told.problem}
    </Text>
  );
  if (!inHand) {
    return (
      <Box border="1px solid" borderColor="rule" borderRadius="md" px="2" py="1" mb="1.5">
        <Flex align="center" gap="2" fontSize="11.5px">
          <Text
            as="button"
            flex="1"
            minW="0"
            truncate
            textAlign="left"
            fontSize="12px"
            cursor="pointer"
            onClick={take}
          >
            {WORDS[kind]} · {at}
          </Text>
          {show}
          {takeOut}
        </Flex>
        {problem}
      </Box>
    );
  }
  return (
    <Box
      border="1px solid"
      borderColor="ochre"
      borderRadius="md"
      px="2"
      py="1.5"
      mb="1.5"
      role="group"
      aria-label={WORDS[kind]}
    >
      <Flex align="center" gap="2">
        <Text flex="1" minW="0" truncate fontSize="12px" fontWeight="600">
          {WORDS[kind]}
        </Text>
        <Quiet
          aria-label="Sweep it"
          aria-pressed={swept}
          title="Sweep it through the grid"
          onClick={() => {
            set({ part: { kind: "sections" } });
            setSwept(!swept);
          }}
        >
          {swept ? "❚❚" : "▶"}
        </Quiet>
        {takeOut}
      </Flex>
      <Flex align="center" gap="2" mt="1" ref={slide}>
        <Slide
          labels={["Where the section is"]}
          value={[position(section)]}
          least={low}
          most={high}
          step={(high - low) / 1000}
          set={([to = low]) => move(movedTo(section, to))}
        />
        <Typed
          label="Place of the section"
          text={at}
          unit={kind === "guide" ? null : model.unit}
          set={(value) => move(movedTo(section, value))}
        />
      </Flex>
      {kind === "guide" && (
        <NativeSelect.Root size="xs" mt="1">
          <NativeSelect.Field
            aria-label="Guide"
            bg="card"
            borderColor="rule"
            value={section.guide}
            onChange={(event) => move({ ...section, guide: event.target.value })}
          >
            {guides.map((name) => (
              <option key={name}>{name}</option>
            ))}
          </NativeSelect.Field>
          <NativeSelect.Indicator />
        </NativeSelect.Root>
      )}
      {(kind === "three" || kind === "cylinder" || kind === "sphere") && (
        <Places section={section} change={move} />
      )}
      <Flex gap="3" mt="1" fontSize="11.5px" align="center">
        {show}
        <Check
          label="whole cells"
          on={section.whole}
          set={(all) => move({ ...section, whole: all })}
        />
        <Text flex="1" textAlign="right" color="muted" truncate>
          {told && !told.problem && `${whole(told.cells)} cells`}
        </Text>
      </Flex>
      {problem}
    </Box>
  );
}

/** Listens to the wheel over an element, which does not scroll meanwhile. */
function useWheel(turned: (way: number) => void) {
  const element = useRef<HTMLDivElement>(null);
  const act = useRef(turned);
  act.current = turned;
  useEffect(() => {
    const found = element.current;
    const wheel = (event: WheelEvent) => {
      event.preventDefault();
      act.current(event.deltaY > 0 ? 1 : -1);
    };
    found?.addEventListener("wheel", wheel, { passive: false });
    return () => found?.removeEventListener("wheel", wheel);
  });
  return element;
}
