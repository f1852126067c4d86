import { Box, Flex, Input, NativeSelect, Text } from "@chakra-ui/react";
import { useState } from "react";
import { percent, short, whole } from "../../model/numbers";
import type { ChosenPicture, Quality } from "../../model/types";
import { useBoardData } from "../../session/context";
import { type Condition, useBoard } from "../../session/store";
import { Empty, Fact, Heading, Quiet, Wrong } from "../../theme/parts";
import { useChosen } from "../../view/inside/useChosen";
import { Check } from "./SectionFields";
import { WhatMade } from "./WhatMade";

type Metric = Quality["metrics"][number];

/** Shows only the cells that are worse than given values, and tells where they are. */
export function OnlyBad({ metrics }: { metrics: Metric[] }) {
  const { model } = useBoardData();
  const { choice, metric, part, set } = useBoard((board) => board);
  const { picture, query } = useChosen();
  const own = metrics.find((m) => m.key === metric) ?? (metrics[0] as Metric);
  const shown = part.kind === "chosen";
  const change = (to: Partial<typeof choice>) => {
    const next = { ...choice, ...to };
    set({ choice: next, part: { kind: next.conditions.length ? "chosen" : "all" } });
  };
  const conditions = (to: Condition[]) => change({ conditions: to });
  const add = () => conditions([...choice.conditions, begun(own)]);
  return (
    <Box mb="4" role="group" aria-label="Only the bad">
      <Heading right={shown && picture ? `${whole(picture.where.cells)} cells` : undefined}>
        Only the bad
      </Heading>
      {choice.conditions.map((one, n) => (
        <Flex
          // biome-ignore lint/suspicious/noArrayIndexKey: conditions have no other name
          key={n}
          align="center"
          gap="1"
          mb="1"
        >
          <NativeSelect.Root size="xs" flex="1" minW="0">
            <NativeSelect.Field
              aria-label="Metric"
              bg="card"
              borderColor="rule"
              value={one.metric}
              onChange={(event) => {
                const found = metrics.find((m) => m.key === event.target.value) as Metric;
                conditions(choice.conditions.map((old, k) => (k === n ? begun(found) : old)));
              }}
            >
              {metrics.map((m) => (
                <option key={m.key} value={m.key}>
                  {m.label}
                </option>
              ))}
              {!metrics.some((m) => m.key === one.metric) && (
                <option value={one.metric}>{one.metric.replaceAll("_", " ")}</option>
              )}
            </NativeSelect.Field>
            <NativeSelect.Indicator />
          </NativeSelect.Root>
          <Bounds
            metric={metrics.find((m) => m.key === one.metric)}
            condition={one}
            set={(to) => conditions(choice.conditions.map((old, k) => (k === n ? to : old)))}
          />
          <Quiet
            aria-label="Take the condition out"
            onClick={() => conditions(choice.conditions.filter((_, k) => k !== n))}
          >
            ×
          </Quiet>
        </Flex>
      ))}
      <Flex gap="2" mt="1" align="center">
        <Quiet onClick={add}>
          {choice.conditions.length ? "And worse in …" : "Cells worse than …"}
        </Quiet>
        {choice.conditions.length > 0 && (
          <Quiet
            aria-pressed={shown}
            bg={shown ? "ochreSoft" : undefined}
            onClick={() => set({ part: { kind: shown ? "all" : "chosen" } })}
          >
            {shown ? "Show all again" : "Show them"}
          </Quiet>
        )}
      </Flex>
      {choice.conditions.length > 0 && (
        <>
          <Flex gap="2" mt="2" align="center" fontSize="11.5px">
            <NativeSelect.Root size="xs" flex="1" minW="0">
              <NativeSelect.Field
                aria-label="At a patch"
                bg="card"
                borderColor="rule"
                value={choice.patch}
                onChange={(event) => change({ patch: event.target.value })}
              >
                <option value="">anywhere</option>
                {model.patches.map(({ name }) => (
                  <option key={name} value={name}>
                    at {name}
                  </option>
                ))}
              </NativeSelect.Field>
              <NativeSelect.Indicator />
            </NativeSelect.Root>
            <Check label="shrunk" on={choice.shrunk} set={(shrunk) => change({ shrunk })} />
          </Flex>
          <Flex gap="2" mt="1" align="center" fontSize="11.5px">
            <Text flex="1">with neighbours</Text>
            <Quiet
              aria-label="Fewer neighbours"
              disabled={choice.grown === 0}
              onClick={() => change({ grown: choice.grown - 1 })}
            >
              −
            </Quiet>
            <Text fontFamily="mono" minW="14px" textAlign="center">
              {choice.grown}
            </Text>
            <Quiet
              aria-label="More neighbours"
              disabled={choice.grown >= 20}
              onClick={() => change({ grown: choice.grown + 1 })}
            >
              +
            </Quiet>
          </Flex>
        </>
      )}
      {shown && query.error && <Wrong>{query.error.message}</Wrong>}
      {shown && picture && !query.error && <Told where={picture.where} />}
      {shown && picture && picture.where.cells > 0 && !query.error && <WhatMade />}
      {shown && picture && choice.shrunk && !picture.shrunk && (
        <Empty>They are too many to be drawn apart: choose fewer for that.</Empty>
      )}
    </Box>
  );
}

/** Where the cells are. */
function Told({ where }: { where: ChosenPicture["where"] }) {
  if (!where.cells) return <Empty>No cell is worse than that.</Empty>;
  const regions = Object.entries(where.regions);
  return (
    <Box mt="1">
      <Fact name="of the volume" value={percent(where.share)} />
      <Fact name="in blocks" value={counted(where.blocks)} />
      {regions.length > 1 && <Fact name="in regions" value={counted(where.regions)} />}
    </Box>
  );
}

function counted(all: Record<string, number>): string {
  const found = Object.entries(all);
  const first = found.slice(0, 3).map(([name, count]) => `${name} ${whole(count)}`);
  return first.join(", ") + (found.length > 3 ? ` and ${found.length - 3} more` : "");
}

/** The condition to begin with: worse than the gate's limit where cells miss it, else close to the worst. */
function begun({ key, better, worst, mean, limit, missed }: Metric): Condition {
  const value =
    missed && limit !== null ? limit : Number((worst + 0.1 * (mean - worst)).toPrecision(3));
  const high = better === "high";
  return { metric: key, low: high ? null : value, high: high ? value : null };
}

interface BoundsProps {
  metric: Metric | undefined;
  condition: Condition;
  set: (condition: Condition) => void;
}

/** The bounds of a condition, one or both, to be typed. */
function Bounds({ metric, condition, set }: BoundsProps) {
  return (
    <Box>
      {(["low", "high"] as const).map((end) => {
        const value = condition[end];
        if (value === null) return null;
        return (
          <Bound
            key={end}
            sign={end === "low" ? "≥" : "≤"}
            name={`${metric?.label ?? condition.metric}: ${end === "low" ? "at least" : "at most"}`}
            unit={metric?.unit ?? ""}
            value={value}
            set={(to) => set({ ...condition, [end]: to })}
          />
        );
      })}
    </Box>
  );
}

interface BoundProps {
  sign: string;
  name: string;
  unit: string;
  value: number;
  set: (value: number) => void;
}

function Bound({ sign, name, unit, value, set }: BoundProps) {
  const [typed, setTyped] = useState<string | null>(null);
  const keep = () => {
    const found = Number((typed ?? "").replace(",", "."));
    if (typed?.trim() && Number.isFinite(found)) set(found);
    setTyped(null);
  };
  return (
    <Flex align="center" gap="0.5" fontFamily="mono" fontSize="11.5px">
      {sign}
      <Input
        size="2xs"
        width="58px"
        fontFamily="mono"
        textAlign="right"
        borderColor="rule"
        aria-label={name}
        value={typed ?? short(value, 4)}
        onChange={(event) => setTyped(event.target.value)}
        onBlur={keep}
        onKeyDown={(event) => {
          if (event.key === "Enter") keep();
          if (event.key === "Escape") setTyped(null);
        }}
      />
      <Text minW="8px">{unit}</Text>
    </Flex>
  );
}
