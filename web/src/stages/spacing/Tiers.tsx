import { Box, chakra, Flex, Text } from "@chakra-ui/react";
import { useRef } from "react";
import type { Tier } from "../../api/client";
import { useBoardData } from "../../board/context";
import { useBoard } from "../../board/store";
import { lengthText, short } from "../../model/numbers";
import { freshId, inserted, placeFor } from "../../model/places";
import { edgeId, sameEdge } from "../../model/selection";
import { tone } from "../../theme/palette";
import { Empty, Heading } from "../../theme/parts";

/** All tiers with their counts; the count is changed in the step that set it, or in a new one. */
export function Tiers() {
  const { model } = useBoardData();
  const selection = useBoard((board) => board.selection);
  const longest = Math.max(...model.tiers.map((tier) => tier.longest), 1e-12);
  const inHand = (tier: Tier) =>
    selection.kind === "edge" &&
    selection.ids.some((id) => tier.edges.some((edge) => sameEdge(id, edgeId(edge))));
  return (
    <Flex direction="column" minH="0" minW="0">
      <Heading right="cells">Tiers</Heading>
      <Box overflowY="auto" flex="1" minH="0">
        {!model.tiers.length && <Empty>Tiers appear with the first block.</Empty>}
        {model.tiers.map((tier, n) => (
          <Row
            key={tier.label}
            tier={tier}
            color={tone(n)}
            share={tier.longest / longest}
            on={inHand(tier)}
          />
        ))}
      </Box>
    </Flex>
  );
}

interface RowProps {
  tier: Tier;
  color: string;
  share: number;
  on: boolean;
}

function Row({ tier, color, share, on }: RowProps) {
  const { model, steps, keepSteps, busy } = useBoardData();
  const { here, set } = useBoard((board) => board);
  const setCount = (count: number) => {
    if (count < 1) return;
    const setter = steps.find((step) => step.id === tier.count_step);
    if (setter && typeof setter.cells === "number") {
      keepSteps(steps.map((step) => (step === setter ? { ...step, cells: count } : step)));
      return;
    }
    const edge = tier.edges[0] as string[];
    const step = {
      kind: "count",
      id: freshId("count", steps),
      tier: { edges: [edge] },
      cells: count,
    };
    keepSteps(inserted(steps, step, placeFor("count", steps, here ?? steps.length, step.tier)));
  };
  const take = () => set({ selection: { kind: "edge", ids: tier.edges.map(edgeId) } });
  const range = tier.longest
    ? `${lengthText(tier.smallest, model.unit)} to ${lengthText(tier.largest, model.unit)}`
    : "hollow only";
  return (
    <Flex align="center" gap="2" height="20px">
      <Text fontWeight="600" fontSize="12px" width="26px">
        {tier.label}
      </Text>
      <chakra.button
        type="button"
        flex="1"
        minW="0"
        height="17px"
        cursor="pointer"
        textAlign="left"
        onClick={take}
        aria-label={`Take tier ${tier.label} in hand`}
        title={`${tier.edges.length} edges, ${lengthText(tier.shortest, model.unit)} to ${lengthText(tier.longest, model.unit)} long, growth at most ${short(tier.growth)}`}
      >
        <Box
          bg={color}
          color="#fff"
          borderRadius="3px"
          outline={on ? "2px solid" : undefined}
          outlineColor="ink"
          height="17px"
          px="1.5"
          fontFamily="mono"
          fontSize="10.5px"
          lineHeight="17px"
          whiteSpace="nowrap"
          width={{ base: "100%", xl: `${Math.max(100 * Math.sqrt(share), 62)}%` }}
          overflow="hidden"
        >
          {tier.name ? `${tier.name} · ${range}` : range}
        </Box>
      </chakra.button>
      <Text fontSize="10px" color="muted" width={{ base: "36px", xl: "44px" }}>
        {tier.locked ? "set" : "derived"}
      </Text>
      <Flex align="center" gap="1">
        <Step
          text="−"
          label={`Fewer cells on ${tier.label}`}
          act={() => setCount(tier.count - 1)}
          off={busy}
        />
        <Count key={tier.count} value={tier.count} label={tier.label} set={setCount} off={busy} />
        <Step
          text="+"
          label={`More cells on ${tier.label}`}
          act={() => setCount(tier.count + 1)}
          off={busy}
        />
      </Flex>
    </Flex>
  );
}

interface CountProps {
  value: number;
  label: string;
  set: (count: number) => void;
  off: boolean;
}

function Count({ value, label, set, off }: CountProps) {
  const sent = useRef(value); // Enter keeps it; leaving the field afterwards must not keep it again
  const keep = (text: string) => {
    const count = Number(text);
    if (!Number.isInteger(count) || count < 1 || count === sent.current) return;
    sent.current = count;
    set(count);
  };
  return (
    <chakra.input
      aria-label={`Cells on ${label}`}
      defaultValue={value}
      disabled={off}
      inputMode="numeric"
      width="34px"
      textAlign="right"
      fontFamily="mono"
      fontSize="12px"
      bg="transparent"
      borderBottom="1px solid"
      borderColor="rule"
      onBlur={(event) => keep(event.target.value)}
      onKeyDown={(event) => {
        if (event.key === "Enter") keep(event.currentTarget.value);
      }}
    />
  );
}

const Step = (props: { text: string; label: string; act: () => void; off: boolean }) => (
  <chakra.button
    type="button"
    aria-label={props.label}
    disabled={props.off}
    onClick={props.act}
    width="16px"
    height="16px"
    lineHeight="1"
    border="1px solid"
    borderColor="rule"
    borderRadius="3px"
    cursor="pointer"
    fontSize="11px"
  >
    {props.text}
  </chakra.button>
);
