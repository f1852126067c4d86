import { Box, chakra, Flex, Spinner, Text } from "@chakra-ui/react";
import { Canvas } from "@react-three/fiber";
import { useIsFetching } from "@tanstack/react-query";
import { useRef } from "react";
import type { Layer } from "../model/looking";
import { whole } from "../model/numbers";
import { useBoardData } from "../session/context";
import { useBoard } from "../session/store";
import { useMode, usePalette } from "../theme/mode";
import { Empty, Wrong } from "../theme/parts";
import { useExtent } from "./extent";
import { Legend } from "./Legend";
import { Crowd } from "./layers/Crowd";
import { LabelPlacer, Labels } from "./layers/Labels";
import { PLAN_WIDTH, Plan } from "./Plan";
import { Scene } from "./Scene";
import { SpaceTools } from "./SpaceTools";

const LAYERS: Layer[] = ["Blocks", "Cells", "Quality", "Patches"];

const NEXT = { plain: "size", size: "growth", growth: "plain" } as const;

// Values that are made anew with each render would each draw a new frame.
const SHARPNESS: [number, number] = [1, 2];
const DRAWING = { antialias: true, preserveDrawingBuffer: true, localClippingEnabled: true };

const Pill = chakra("button", {
  base: {
    border: "1px solid",
    borderColor: "rule",
    borderRadius: "full",
    px: "3",
    py: "0.5",
    fontSize: "12px",
    cursor: "pointer",
    _hover: { borderColor: "ochre" },
  },
});

/** The view: the layout and the grid, with what is in hand and the ghost of what is being tried. */
export function View() {
  const { model, grid, gridProblem, doing, kinds, preview, previewShape, busy } = useBoardData();
  // The pictures of a run come again and again: they are nothing to wait for.
  const asked = useIsFetching({ predicate: ({ queryKey }) => queryKey[0] !== "live" });
  const layer = useBoard((board) => board.layer);
  const space = useBoard((board) => board.space);
  const numbers = useBoard((board) => board.numbers);
  const plan = useBoard((board) => board.plan);
  const share = useBoard((board) => board.share);
  const draft = useBoard((board) => board.draft);
  const stage = useBoard((board) => board.stage);
  const edgesBy = useBoard((board) => board.edgesBy);
  const set = useBoard((board) => board.set);
  const dark = useMode((mode) => mode.dark);
  const palette = usePalette();
  const fit = useRef<() => void>(() => undefined);
  const labels = useRef<HTMLDivElement>(null);
  const extent = useExtent();
  const lifted = model.dim === 3;
  const deep =
    lifted || model.guides.some((g) => g.dim === 2 || (g.high[2] ?? 0) > (g.low[2] ?? 0));
  const solid = lifted && layer !== "Blocks" && grid?.dim === 3;
  const spatial = space && (solid || (layer === "Blocks" && (deep || Boolean(previewShape))));
  const empty = !model.guides.length && !model.blocks.length && !preview;
  const planned = plan && layer === "Blocks" && model.blocks.length > 0;
  const field =
    draft?.field && kinds.get(draft.step.kind)?.fields.find((f) => f.name === draft.field);
  return (
    <Box
      as="main"
      aria-busy={busy || asked > 0}
      position="relative"
      minW="0"
      minH="0"
      bg="paper"
      overflow="hidden"
    >
      <Box position="absolute" inset="0" left={planned ? `${PLAN_WIDTH}px` : "0"}>
        <Canvas
          key={String(dark)}
          flat
          frameloop="demand"
          dpr={SHARPNESS}
          gl={DRAWING}
          style={{ position: "absolute", inset: 0 }}
        >
          <color attach="background" args={[palette.paper]} />
          <Scene solid={solid} spatial={spatial} extent={extent} fit={fit} />
          <LabelPlacer layer={labels} origin={extent.origin} />
        </Canvas>
        <Labels layer={labels} solid={solid} />
      </Box>
      <Flex
        position="absolute"
        top="3"
        left="3"
        gap="1.5"
        wrap="wrap"
        pointerEvents="none"
        css={{ "& > *": { pointerEvents: "auto" } }}
      >
        {LAYERS.map((name) => (
          <Pill
            key={name}
            type="button"
            aria-pressed={layer === name}
            bg={layer === name ? "bar" : "card"}
            color={layer === name ? "barText" : "ink"}
            onClick={() => set({ layer: name })}
          >
            {name}
          </Pill>
        ))}
      </Flex>
      <Flex position="absolute" top="3" right="3" gap="1.5">
        {((lifted && layer !== "Blocks") || (deep && layer === "Blocks")) && (
          <Pill type="button" bg="card" onClick={() => set({ space: !space })} aria-pressed={space}>
            {space ? "In space" : "In the plane"}
          </Pill>
        )}
        {stage === "Spacing" && model.blocks.length > 0 && (
          <Pill
            type="button"
            bg={edgesBy === "plain" ? "card" : "ochreSoft"}
            onClick={() => set({ edgesBy: NEXT[edgesBy] })}
            title="Colour the edges by the size or the growth of their cells"
          >
            Edges: {edgesBy}
          </Pill>
        )}
        <Pill
          type="button"
          bg={numbers ? "ochreSoft" : "card"}
          aria-pressed={numbers}
          onClick={() => set({ numbers: !numbers })}
          title="Labels of guides, corners, tiers and blocks (#)"
        >
          Labels
        </Pill>
        {layer === "Blocks" && model.blocks.length > 0 && (
          <Pill
            type="button"
            bg={plan ? "ochreSoft" : "card"}
            aria-pressed={plan}
            onClick={() => set({ plan: !plan })}
            title="The blocks laid out flat, for picking where space is crowded"
          >
            Plan
          </Pill>
        )}
        <Pill type="button" bg="card" onClick={() => fit.current()} title="Fit the view (0)">
          Fit
        </Pill>
      </Flex>
      {spatial && <SpaceTools />}
      {planned && <Plan />}
      <Crowd />
      {field && (
        <Text
          position="absolute"
          bottom="16"
          left="3"
          bg="ochreSoft"
          border="1px solid"
          borderColor="ochre"
          borderRadius="md"
          px="2"
          py="0.5"
          fontSize="12px"
          pointerEvents="none"
        >
          picking for “{field.title}” · Shift adds
        </Text>
      )}
      {empty && (
        <Flex position="absolute" inset="0" align="center" justify="center" pointerEvents="none">
          <Box textAlign="center" maxW="340px">
            <Text fontSize="15px" fontWeight="600">
              An empty project
            </Text>
            <Empty>
              Set the unit (U), read an outline (R), bring in CAD (I) or draw a guide; or go to
              Blocks (Alt 2) and frame a rectangle (F), or start from a grid that you received (J).
            </Empty>
          </Box>
        </Flex>
      )}
      {gridProblem && layer !== "Blocks" && (
        <Box position="absolute" top="12" left="3" maxW="420px">
          <Wrong>{gridProblem}</Wrong>
        </Box>
      )}
      {doing && (layer !== "Blocks" || stage === "Check") && (
        <Flex position="absolute" top="12" left="3" gap="2" align="center" role="status">
          <Spinner size="xs" color="ochre" />
          <Text color="muted" fontSize="12px">
            {doing}, {whole(model.cells)} cells …
          </Text>
        </Flex>
      )}
      {share < 1 && layer !== "Blocks" && model.smoothing > 0 && (
        <Text
          position="absolute"
          bottom="10"
          left="3"
          color="plum"
          fontWeight="600"
          pointerEvents="none"
        >
          {share === 0 ? "before smoothing" : `${Math.round(100 * share)} % of the way`}
        </Text>
      )}
      <Legend />
    </Box>
  );
}
