import { Box, Flex, Input, NativeSelect, Slider, Text } from "@chakra-ui/react";
import { useEffect, useState } from "react";
import { lengthIn, lengthText, short, whole } from "../../model/numbers";
import type { Section } from "../../model/types";
import { useBoardData } from "../../session/context";
import { typing } from "../../session/keys";
import {
  type Box as Around,
  begun,
  further,
  KINDS,
  kindOf,
  movedTo,
  position,
  range,
  type SectionKind,
  WORDS,
} from "../../session/sections";
import { useBoard } from "../../session/store";
import { Empty, Heading, Quiet, Wrong } from "../../theme/parts";
import { useExtent } from "../../view/extent";
import { useSections } from "../../view/useSections";

/** Shares of the way that a key moves a section by, and that it is swept by at each picture. */
const [STEP, FAR, SWEEP] = [0.01, 0.1, 0.012];

/** Sections through the grid: made, moved and swept, and kept with the project. */
export function Sections() {
  const { model } = useBoardData();
  const sections = useBoard((board) => board.sections);
  const set = useBoard((board) => board.set);
  const box = useBox();
  const [active, setActive] = useState(0);
  const { shown, picture, query } = useSections();
  const guides = model.guides.filter((guide) => guide.dim === 1).map((guide) => guide.name);
  const change = (n: number, to: Section) =>
    set({ sections: sections.map((one, k) => (k === n ? to : one)) });

  useEffect(() => {
    const press = (event: KeyboardEvent) => {
      const way = event.key === "[" || event.key === "{" ? -1 : 1;
      const ours = useBoard.getState().sections[active];
      if (!"[]{}".includes(event.key) || typing(event) || !ours) return;
      event.preventDefault();
      const to = further(ours, box, way * (event.shiftKey ? FAR : STEP));
      useBoard.setState((board) => ({
        sections: board.sections.map((one, k) => (k === active ? to : one)),
        part: { kind: "sections" },
      }));
    };
    window.addEventListener("keydown", press);
    return () => window.removeEventListener("keydown", press);
  }, [active, box]);

  return (
    <Box mb="4" role="group" aria-label="Sections">
      <Heading right={sections.length ? "[ ] move the one in hand" : undefined}>Sections</Heading>
      {query.error && shown.length > 0 && <Wrong>{query.error.message}</Wrong>}
      {sections.length === 0 && <Empty>Look inside: cut the grid with a plane, or round.</Empty>}
      {sections.map((section, n) => (
        <Row
          // biome-ignore lint/suspicious/noArrayIndexKey: sections have no other name
          key={n}
          section={section}
          box={box}
          guides={guides}
          inHand={n === active}
          take={() => setActive(n)}
          change={(to) => change(n, to)}
          remove={() => {
            set({ sections: sections.filter((_, k) => k !== n) });
            setActive(Math.max(0, n - 1));
          }}
          told={picture?.told[shown.indexOf(section)]}
          waiting={query.isFetching}
        />
      ))}
      <NativeSelect.Root size="xs" mt="2" disabled={sections.length >= 12}>
        <NativeSelect.Field
          aria-label="Add a section"
          bg="card"
          borderColor="rule"
          value=""
          onChange={(event) => {
            const made = begun(event.target.value as SectionKind, box, guides);
            setActive(sections.length);
            set({ sections: [...sections, made], part: { kind: "sections" } });
          }}
        >
          <option value="">Add a section …</option>
          {KINDS.filter((kind) => kind !== "guide" || guides.length > 0).map((kind) => (
            <option key={kind} value={kind}>
              {WORDS[kind]}
            </option>
          ))}
        </NativeSelect.Field>
        <NativeSelect.Indicator />
      </NativeSelect.Root>
    </Box>
  );
}

/** The box that all there is lies in. */
function useBox(): Around {
  const { origin, half } = useExtent();
  const end = (sign: number) =>
    origin.map((v, n) => v + sign * (half[n] ?? 0)) as [number, number, number];
  return { low: end(-1), high: end(1) };
}

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

function Row({ section, box, guides, inHand, take, change, remove, told, waiting }: RowProps) {
  const { model } = useBoardData();
  const set = useBoard((board) => board.set);
  const [swept, setSwept] = useState(false);
  const kind = kindOf(section);
  const [low, high] = range(section, box);
  const move = (to: Section) => {
    change(to);
    set({ part: { kind: "sections" } });
  };
  // Swept on its own: it goes on as soon as the last picture is there.
  useEffect(() => {
    if (!swept || waiting) return;
    const timer = setTimeout(() => change(further(section, box, SWEEP, true)), 40);
    return () => clearTimeout(timer);
  }, [swept, waiting, section, box, change]);
  return (
    <Box
      border="1px solid"
      borderColor={inHand ? "ochre" : "rule"}
      borderRadius="md"
      px="2"
      py="1.5"
      mb="1.5"
      role="group"
      aria-label={WORDS[kind]}
      onPointerDown={take}
      onFocus={take}
      onWheel={(event) => move(further(section, box, event.deltaY > 0 ? STEP : -STEP))}
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
        <Quiet aria-label="Take the section out" onClick={remove}>
          ×
        </Quiet>
      </Flex>
      <Flex align="center" gap="2" mt="1">
        <Slider.Root
          flex="1"
          size="sm"
          min={low}
          max={high}
          step={(high - low) / 1000}
          value={[position(section)]}
          aria-label={["Where the section is"]}
          onValueChange={({ value }) => move(movedTo(section, value[0] ?? low))}
        >
          <Slider.Control>
            <Slider.Track>
              <Slider.Range bg="ochre" />
            </Slider.Track>
            <Slider.Thumbs />
          </Slider.Control>
        </Slider.Root>
        <Typed
          label="Place of the section"
          value={position(section)}
          text={
            kind === "guide" ? short(position(section)) : lengthText(position(section), model.unit)
          }
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
        <Check label="show" on={section.shown} set={(shown) => move({ ...section, shown })} />
        <Check
          label="whole cells"
          on={section.whole}
          set={(all) => move({ ...section, whole: all })}
        />
        <Text flex="1" textAlign="right" color="muted" truncate>
          {told && !told.problem && `${whole(told.cells)} cells`}
        </Text>
      </Flex>
      {told?.problem && (
        <Text fontSize="11.5px" color="madder" mt="1">
          {told.problem}
        </Text>
      )}
    </Box>
  );
}

const Check = ({ label, on, set }: { label: string; on: boolean; set: (on: boolean) => void }) => (
  <Flex as="label" align="center" gap="1" cursor="pointer">
    <input type="checkbox" checked={on} onChange={(event) => set(event.target.checked)} />
    {label}
  </Flex>
);

interface TypedProps {
  label: string;
  value: number;
  text: string;
  unit: string | null;
  set: (value: number) => void;
}

/** A number that can be typed, with a unit where it is a length. */
function Typed({ label, text, unit, set }: TypedProps) {
  const [typed, setTyped] = useState<string | null>(null);
  const keep = () => {
    if (typed !== null) {
      const value = unit === null ? Number(typed) : lengthIn(typed, unit);
      if (value !== null && Number.isFinite(value)) set(value);
    }
    setTyped(null);
  };
  return (
    <Input
      size="2xs"
      width="84px"
      fontFamily="mono"
      textAlign="right"
      borderColor="rule"
      aria-label={label}
      value={typed ?? text}
      onFocus={(event) => event.target.select()}
      onChange={(event) => setTyped(event.target.value)}
      onBlur={keep}
      onKeyDown={(event) => {
        if (event.key === "Enter") keep();
        if (event.key === "Escape") setTyped(null);
      }}
    />
  );
}

/** The places that a plane goes through, or the middle and the axis of a round section, as typed. */
function Places({ section, change }: { section: Section; change: (to: Section) => void }) {
  const told = placesOf(section)
    .map((place) => place.map((v) => short(v, 6)).join(", "))
    .join("; ");
  const [typed, setTyped] = useState<string | null>(null);
  const read = (typed ?? told).split(";").map((place) => place.split(",").map(Number));
  const right =
    read.length === placesOf(section).length &&
    read.every((place) => place.length === 3 && place.every(Number.isFinite));
  const keep = () => {
    if (typed !== null && right) change(placed(section, read));
    if (right) setTyped(null);
  };
  return (
    <Input
      size="2xs"
      mt="1"
      fontFamily="mono"
      borderColor={right ? "rule" : "madder"}
      aria-label={
        section.through ? "Three places" : section.kind === "sphere" ? "Centre" : "Place; axis"
      }
      title="x, y, z; the next after a semicolon"
      value={typed ?? told}
      onChange={(event) => setTyped(event.target.value)}
      onBlur={keep}
      onKeyDown={(event) => {
        if (event.key === "Enter") keep();
        if (event.key === "Escape") setTyped(null);
      }}
    />
  );
}

const placesOf = (section: Section): number[][] =>
  section.through ??
  (section.kind === "sphere"
    ? [section.point ?? [0, 0, 0]]
    : [section.point ?? [0, 0, 0], section.axis ?? [0, 0, 1]]);

function placed(section: Section, places: number[][]): Section {
  if (section.through) return { ...section, through: places };
  const [point = [0, 0, 0], axis] = places;
  return axis ? { ...section, point, axis } : { ...section, point };
}
