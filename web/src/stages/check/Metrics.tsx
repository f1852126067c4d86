import { Box, chakra, Text } from "@chakra-ui/react";
import { useState } from "react";
import { short, whole } from "../../model/numbers";
import type { Quality } from "../../model/types";
import { useBoard } from "../../session/store";

type Metric = Quality["metrics"][number];

const GROUPS: { group: Metric["group"]; name: string; open: boolean }[] = [
  { group: "cell", name: "Cells", open: true },
  { group: "size", name: "Sizes", open: false },
  { group: "wall", name: "At walls", open: true },
  { group: "joint", name: "At joints of blocks", open: false },
];

interface MetricsProps {
  metrics: Metric[];
  /** What the gate says of parts that have limits of their own. */
  parts: Quality["parts"];
  cells: number;
}

/** The worst value of every metric with its limit, by what it looks at; a click takes one into view. */
export function Metrics({ metrics, parts, cells }: MetricsProps) {
  const missed = new Set(parts.filter((part) => part.missed).map((part) => part.metric));
  const metric = useBoard((board) => board.metric);
  return (
    <Box>
      {GROUPS.map(({ group, name, open }) => {
        const own = metrics.filter((m) => m.group === group);
        const wanted = open || own.some((m) => m.missed || missed.has(m.key) || m.key === metric);
        return (
          own.length > 0 && (
            <Group
              key={`${group} ${wanted}`}
              name={name}
              open={wanted}
              metrics={own}
              missed={missed}
              all={cells}
            />
          )
        );
      })}
    </Box>
  );
}

interface GroupProps {
  name: string;
  open: boolean;
  metrics: Metric[];
  /** The metrics that a part misses its own limit of. */
  missed: Set<string>;
  all: number;
}

function Group({ name, open: first, metrics, missed, all }: GroupProps) {
  const [open, setOpen] = useState(first);
  const least = metrics[0]?.better === "high";
  const some = Math.max(...metrics.map((m) => m.cells));
  return (
    <Box mb="1">
      <chakra.button
        type="button"
        display="flex"
        width="100%"
        px="2"
        py="0.5"
        gap="2"
        fontSize="11px"
        color="muted"
        cursor="pointer"
        aria-expanded={open}
        onClick={() => setOpen(!open)}
      >
        <Text flex="1" textAlign="left">
          {open ? "▾" : "▸"} {name}
          {some < all && ` · ${whole(some)} cells`}
        </Text>
        {open && (
          <>
            <Text>{name === "Sizes" && least ? "least" : "worst"}</Text>
            <Text width="62px" textAlign="right">
              limit
            </Text>
          </>
        )}
      </chakra.button>
      {open && metrics.map((m) => <Row key={m.key} metric={m} inPart={missed.has(m.key)} />)}
    </Box>
  );
}

function Row({ metric: m, inPart }: { metric: Metric; inPart: boolean }) {
  const metric = useBoard((board) => board.metric);
  const set = useBoard((board) => board.set);
  return (
    <chakra.button
      type="button"
      display="flex"
      width="100%"
      alignItems="baseline"
      gap="2"
      px="2"
      py="1"
      borderRadius="4px"
      cursor="pointer"
      textAlign="left"
      aria-pressed={metric === m.key}
      bg={metric === m.key ? "ochreSoft" : undefined}
      _hover={{ bg: "ochreSoft" }}
      title={`best ${short(m.best)}${m.unit}, mean ${short(m.mean)}${m.unit}, of ${whole(m.cells)} cells`}
      onClick={() =>
        set({ metric: m.key, layer: "Quality", shown: [], bars: { by: "cells", log: null } })
      }
    >
      <Text flex="1" fontSize="12px">
        {m.missed || inPart ? "✗ " : ""}
        {m.label}
      </Text>
      <Text
        fontFamily="mono"
        fontSize="12px"
        whiteSpace="nowrap"
        color={m.missed ? "madder" : "ink"}
      >
        {short(m.worst)}
        {m.unit}
      </Text>
      <Text fontFamily="mono" fontSize="11px" color="muted" width="54px" textAlign="right">
        {m.limit === null
          ? inPart
            ? "a part"
            : "none"
          : `${m.better === "high" ? "≥" : "≤"} ${m.limit}${m.unit}`}
      </Text>
    </chakra.button>
  );
}
