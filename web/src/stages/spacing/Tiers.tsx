import { Box, chakra, Flex, Text } from "@chakra-ui/react";
import { useEffect, useRef, useState } from "react";
import { lengthText, short } from "../../model/numbers";
import { edgeId, sameEdge } from "../../model/selection";
import { released, withCount, withName } from "../../model/tier_steps";
import type { Tier } from "../../model/types";
import { useBoardData } from "../../session/context";
import { useBoard } from "../../session/store";
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
  const { model, keepSteps, ground } = useBoardData();
  const { here, set } = useBoard((board) => board);
  const [naming, setNaming] = useState(false);
  const take = () => set({ selection: { kind: "edge", ids: tier.edges.map(edgeId) } });
  const range = tier.longest
    ? `${lengthText(tier.smallest, model.unit)} to ${lengthText(tier.largest, model.unit)}`
    : "hollow only";
  return (
    <Flex align="center" gap="2" height="20px">
      <Text fontWeight="600" fontSize="12px" width="26px">
        {tier.label}
      </Text>
      {naming ? (
        <TierName
          tier={tier}
          done={(name) => {
            setNaming(false);
            if (name && name !== tier.name)
              keepSteps((now) => withName(now, tier, name, here, ground));
          }}
        />
      ) : (
        <chakra.button
          type="button"
          flex="1"
          minW="0"
          height="17px"
          cursor="pointer"
          textAlign="left"
          onClick={take}
          onDoubleClick={() => setNaming(true)}
          onKeyDown={(event) => {
            if (event.key === "F2") setNaming(true);
          }}
          aria-label={`Take tier ${tier.label} in hand`}
          title={`${tier.edges.length} edges, ${lengthText(tier.shortest, model.unit)} to ${lengthText(tier.longest, model.unit)} long, growth at most ${short(tier.growth)}. Double click or F2 names it.`}
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
            textOverflow="ellipsis"
          >
            {tier.name ? `${tier.name} · ${range}` : range}
          </Box>
        </chakra.button>
      )}
      <chakra.button
        type="button"
        fontSize="10px"
        color="muted"
        width={{ base: "36px", xl: "44px" }}
        textAlign="left"
        cursor="pointer"
        _hover={{ color: "ink", textDecoration: "underline" }}
        aria-label={tier.locked ? `Release ${tier.label}` : `Lock ${tier.label}`}
        title={
          tier.locked
            ? "The count is set. Click to release it: it is derived again."
            : "The count is derived. Click to lock it as it is."
        }
        onClick={() =>
          keepSteps((now) =>
            tier.locked
              ? released(now, tier, here, ground)
              : withCount(now, tier, tier.count, here, ground),
          )
        }
      >
        {tier.locked ? "set" : "derived"}
      </chakra.button>
      <Count
        value={tier.count}
        label={tier.label}
        set={(count) => keepSteps((now) => withCount(now, tier, count, here, ground))}
      />
    </Flex>
  );
}

function TierName({ tier, done }: { tier: Tier; done: (name: string) => void }) {
  return (
    <chakra.input
      aria-label={`Name of ${tier.label}`}
      autoFocus
      defaultValue={tier.name}
      placeholder="name"
      maxLength={24}
      flex="1"
      minW="0"
      height="17px"
      fontSize="11px"
      px="1.5"
      bg="card"
      border="1px solid"
      borderColor="rule"
      borderRadius="3px"
      onBlur={(event) => done(event.target.value.trim())}
      onKeyDown={(event) => {
        if (event.key === "Enter") event.currentTarget.blur();
        if (event.key === "Escape") done("");
      }}
    />
  );
}

interface CountProps {
  value: number;
  label: string;
  set: (count: number) => void;
}

/**
 * A count to type or to step. What is typed stays until it is kept, whatever arrives meanwhile, and then until
 * all edits are kept and the model of them is there; only what was typed is ever kept.
 */
function Count({ value, label, set }: CountProps) {
  const { busy } = useBoardData();
  const [typed, setTyped] = useState<string | null>(null);
  const unsent = useRef(false);
  const sent = useRef<number | null>(null);
  // biome-ignore lint/correctness/useExhaustiveDependencies: a count that arrives takes the place of what was sent
  useEffect(() => {
    if (busy) return;
    sent.current = null;
    if (!unsent.current) setTyped(null);
  }, [value, busy]);
  const keep = (count: number) => {
    unsent.current = false;
    if (!Number.isInteger(count) || count < 1 || count === (sent.current ?? value)) return;
    sent.current = count;
    set(count);
  };
  const keepTyped = () => {
    if (unsent.current) keep(Number(typed));
  };
  const by = (change: number) => {
    const count = Math.max(1, (sent.current ?? value) + change);
    setTyped(String(count));
    keep(count);
  };
  return (
    <Flex align="center" gap="1">
      <Tap text="−" label={`Fewer cells on ${label}`} act={() => by(-1)} />
      <chakra.input
        aria-label={`Cells on ${label}`}
        value={typed ?? value}
        inputMode="numeric"
        width="34px"
        textAlign="right"
        fontFamily="mono"
        fontSize="12px"
        bg="transparent"
        borderBottom="1px solid"
        borderColor="rule"
        onChange={(event) => {
          unsent.current = true;
          setTyped(event.target.value);
        }}
        onBlur={keepTyped}
        onKeyDown={(event) => {
          if (event.key === "Enter") keepTyped();
          if (event.key === "Escape") {
            unsent.current = false;
            setTyped(null);
          }
          if (event.key === "ArrowUp") by(1);
          if (event.key === "ArrowDown") by(-1);
        }}
      />
      <Tap text="+" label={`More cells on ${label}`} act={() => by(1)} />
    </Flex>
  );
}

const Tap = (props: { text: string; label: string; act: () => void }) => (
  <chakra.button
    type="button"
    aria-label={props.label}
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
