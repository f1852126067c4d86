import { Box, NativeSelect } from "@chakra-ui/react";
import { useEffect, useState } from "react";
import type { Section } from "../../model/types";
import { useBoardData } from "../../session/context";
import { typing } from "../../session/keys";
import {
  type Box as Around,
  begun,
  FAR,
  further,
  KINDS,
  type SectionKind,
  STEP,
  WORDS,
} from "../../session/sections";
import { useBoard } from "../../session/store";
import { Empty, Heading, Wrong } from "../../theme/parts";
import { useExtent } from "../../view/extent";
import { useSections } from "../../view/inside/useSections";
import { SectionRow } from "./SectionRow";

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
      const to = further(ours, box, way * ("{}".includes(event.key) ? FAR : STEP));
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
        <SectionRow
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
