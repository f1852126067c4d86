import { Box, chakra, Flex, Input, Text } from "@chakra-ui/react";
import { useMemo, useState } from "react";
import { lengthText, short } from "../../model/numbers";
import { picked } from "../../model/selection";
import type { Guide } from "../../model/types";
import { useBoardData } from "../../session/context";
import { useBoard } from "../../session/store";
import { usePalette } from "../../theme/mode";
import { guideColours } from "../../theme/palette";
import { Empty } from "../../theme/parts";

const MANY = 10;

/** The guides by group, to take in hand, to show and to hide; and to write to files. */
export function GuideList() {
  const { project, model } = useBoardData();
  const hidden = useBoard((board) => board.hidden);
  const set = useBoard((board) => board.set);
  const [text, setText] = useState("");
  const sections = useMemo(() => {
    const words = text.toLowerCase();
    const fits = model.guides.filter((guide) => guide.name.toLowerCase().includes(words));
    const inGroup = new Set(model.groups.flatMap((group) => group.members));
    const groups = model.groups.map((group) => {
      const members = new Set(group.members);
      return { name: group.name, guides: fits.filter((guide) => members.has(guide.name)) };
    });
    const alone = fits.filter((guide) => !inGroup.has(guide.name));
    return [{ name: "", guides: alone }, ...groups].filter((section) => section.guides.length);
  }, [model.guides, model.groups, text]);
  if (!model.guides.length)
    return (
      <Empty>
        Set the unit first, then bring in CAD (I), read an outline from a point file (R), or draw
        points, curves and surfaces by exact coordinates. A frame needs no guide.
      </Empty>
    );
  const file = `/api/projects/${project}/guides`;
  return (
    <Box>
      <Flex gap="3" fontSize="11px" color="muted" mb="1" wrap="wrap">
        <Text flex="1">
          {model.guides.length} {model.guides.length === 1 ? "guide" : "guides"}
        </Text>
        {hidden.length > 0 && (
          <Small act={() => set({ hidden: [] })}>show all ({hidden.length} hidden)</Small>
        )}
        <chakra.a href={`${file}.step`} download color="teal" title="Write all guides as STEP">
          STEP
        </chakra.a>
        <chakra.a href={`${file}.stl`} download color="teal" title="Write all surfaces as STL">
          STL
        </chakra.a>
      </Flex>
      {model.guides.length > MANY && (
        <Input
          size="xs"
          mb="1"
          bg="card"
          borderColor="rule"
          placeholder="find a guide"
          aria-label="Find a guide"
          value={text}
          onChange={(event) => setText(event.target.value)}
        />
      )}
      {sections.map((section) => (
        <Section key={section.name} {...section} open={model.guides.length <= 40 || text !== ""} />
      ))}
    </Box>
  );
}

function Section({ name, guides, open }: { name: string; guides: Guide[]; open: boolean }) {
  const hidden = useBoard((board) => board.hidden);
  const selection = useBoard((board) => board.selection);
  const set = useBoard((board) => board.set);
  const [unfolded, setUnfolded] = useState(open || name === "");
  const names = guides.map((guide) => guide.name);
  const off = names.every((one) => hidden.includes(one));
  const toggle = () =>
    set({
      hidden: off
        ? hidden.filter((one) => !names.includes(one))
        : [...new Set([...hidden, ...names])],
    });
  return (
    <Box mb="1.5">
      {name && (
        <Flex align="center" gap="1.5" py="0.5">
          <Eye off={off} act={toggle} name={`group ${name}`} />
          <chakra.button
            type="button"
            fontWeight="600"
            fontSize="12px"
            cursor="pointer"
            textAlign="left"
            title="Take the whole group in hand"
            onClick={() => set({ selection: picked(selection, "guide", names, false) })}
          >
            {name}
          </chakra.button>
          <Small act={() => setUnfolded(!unfolded)}>
            {guides.length} {unfolded ? "▾" : "▸"}
          </Small>
        </Flex>
      )}
      {unfolded &&
        guides.map((guide) => <Row key={guide.name} guide={guide} inset={name !== ""} />)}
    </Box>
  );
}

function Row({ guide, inset }: { guide: Guide; inset: boolean }) {
  const { model } = useBoardData();
  const hidden = useBoard((board) => board.hidden);
  const set = useBoard((board) => board.set);
  const selection = useBoard((board) => board.selection);
  const palette = usePalette();
  const colours = useMemo(() => guideColours(model.groups, palette), [model.groups, palette]);
  const off = hidden.includes(guide.name);
  const size =
    guide.dim === 2
      ? `${short(guide.area, 4)} ${model.unit}²`
      : guide.dim === 1
        ? lengthText(guide.length, model.unit)
        : guide.low.map((v) => short(v, 4)).join(", ");
  return (
    <Flex align="center" gap="1.5" pl={inset ? "3" : "0"} opacity={off ? 0.5 : 1}>
      <Eye
        off={off}
        name={guide.name}
        act={() =>
          set({ hidden: off ? hidden.filter((n) => n !== guide.name) : [...hidden, guide.name] })
        }
      />
      <Box width="8px" height="8px" borderRadius="2px" flexShrink="0" bg={colours(guide.name)} />
      <chakra.button
        type="button"
        flex="1"
        minW="0"
        textAlign="left"
        fontSize="12px"
        cursor="pointer"
        whiteSpace="nowrap"
        overflow="hidden"
        textOverflow="ellipsis"
        title={`${guide.name}, ${guide.kind}`}
        _hover={{ color: "rust" }}
        onClick={(event) =>
          set({ selection: picked(selection, "guide", [guide.name], event.shiftKey) })
        }
      >
        {guide.name}{" "}
        <Text as="span" color="muted" fontSize="11px">
          {guide.kind}
        </Text>
      </chakra.button>
      <Text fontFamily="mono" fontSize="11px" color="muted" flexShrink="0">
        {size}
      </Text>
    </Flex>
  );
}

const Eye = ({ off, act, name }: { off: boolean; act: () => void; name: string }) => (
  <chakra.button
    type="button"
    aria-label={`${off ? "Show" : "Hide"} ${name}`}
    aria-pressed={!off}
    title={off ? "Show" : "Hide"}
    onClick={act}
    cursor="pointer"
    width="14px"
    height="14px"
    flexShrink="0"
    border="1px solid"
    borderColor="muted"
    borderRadius="3px"
    fontSize="10px"
    lineHeight="1"
    bg={off ? "transparent" : "tealSoft"}
  >
    {off ? "" : "✓"}
  </chakra.button>
);

const Small = ({ act, children }: { act: () => void; children: React.ReactNode }) => (
  <chakra.button type="button" fontSize="11px" color="teal" cursor="pointer" onClick={act}>
    {children}
  </chakra.button>
);
