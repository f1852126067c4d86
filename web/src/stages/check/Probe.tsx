import { Box, Flex, Grid, Input, Text } from "@chakra-ui/react";
import { useEffect, useState } from "react";
import { useProbe } from "../../api/sections";
import { lengthIn, lengthText, short } from "../../model/numbers";
import type { Probed, Quality } from "../../model/types";
import { useBoardData } from "../../session/context";
import { typing } from "../../session/keys";
import { useBoard } from "../../session/store";
import { Fact, Heading, Quiet, Wrong } from "../../theme/parts";
import { NodeDistance } from "./NodeDistance";

type Metric = Quality["metrics"][number];

/** The keys that walk to the cell behind a side. */
const KEYS: Record<string, string> = {
  ArrowLeft: "i-",
  ArrowRight: "i+",
  ArrowDown: "j-",
  ArrowUp: "j+",
  PageDown: "k-",
  PageUp: "k+",
};

/** The cell in hand: where it is, all its metrics and edges, and its neighbours, to be walked to. */
export function Probe({ metrics }: { metrics: Metric[] }) {
  const { project, recipe, model } = useBoardData();
  const { probe, here, share, set } = useBoard((board) => board);
  const [against, setAgainst] = useState("");
  const asked = useProbe(project, recipe.revision, probe, { upto: here, smoothed: share > 0 });
  const cell = probe === null ? undefined : asked.data;

  useEffect(() => {
    if (!cell) return;
    const middle = [0, 1, 2].map(
      (n) => cell.corners.reduce((sum, c) => sum + (c[n] ?? 0), 0) / cell.corners.length,
    );
    const { block, index, corners } = cell;
    useBoard.setState({
      shown: [{ cell: cell.cell, block, index, corners, at: middle, value: 0 }],
    });
  }, [cell]);
  useEffect(() => {
    const press = (event: KeyboardEvent) => {
      const to = cell?.beyond[KEYS[event.key] ?? ""]?.cell;
      if (!KEYS[event.key] || !cell || typing(event)) return;
      if ((event.target as HTMLElement).getAttribute?.("role") === "slider") return;
      event.preventDefault();
      if (to !== null && to !== undefined) useBoard.setState({ probe: to });
    };
    window.addEventListener("keydown", press);
    return () => window.removeEventListener("keydown", press);
  }, [cell]);

  if (probe === null) return null;
  if (asked.error) return <Wrong>{asked.error.message}</Wrong>;
  if (!cell) return null;
  const length = lengthIn(against, model.unit);
  return (
    <Box mb="4" role="group" aria-label="Cell in hand">
      <Heading right={`number ${cell.cell}`}>
        {cell.block} ({cell.index.join(", ")})
      </Heading>
      {metrics.map((metric) => {
        const value = cell.values[metric.key];
        if (value === undefined) return null;
        return (
          <Fact
            key={metric.key}
            name={metric.label}
            value={<MetricValue metric={metric} value={value} />}
          />
        );
      })}
      <Fact
        name={model.dim === 3 ? "volume" : "area"}
        value={`${short(cell.volume, 4)} ${model.unit}${model.dim === 3 ? "³" : "²"}`}
      />
      {cell.edges.map((edges, n) => (
        <Fact
          // biome-ignore lint/suspicious/noArrayIndexKey: the axes have no other name
          key={n}
          name={`edges along ${"ijk"[n]}`}
          value={<Edges edges={edges} unit={model.unit} against={length} />}
        />
      ))}
      <Flex align="center" gap="2" fontSize="12px" py="0.5">
        <Text color="muted" flex="1">
          against a length
        </Text>
        <Input
          size="2xs"
          width="84px"
          fontFamily="mono"
          textAlign="right"
          borderColor={against && length === null ? "madder" : "rule"}
          aria-label="Length to compare with"
          placeholder="e.g. 5 mm"
          value={against}
          onChange={(event) => setAgainst(event.target.value)}
        />
      </Flex>
      <NodeDistance cell={cell} unit={model.unit} />
      <Beyond cell={cell} go={(to) => set({ probe: to })} />
    </Box>
  );
}

function MetricValue({ metric, value }: { metric: Metric; value: number }) {
  const missed =
    metric.limit !== null &&
    (metric.better === "high" ? value < metric.limit : value > metric.limit);
  return (
    <Text as="span" color={missed ? "madder" : undefined}>
      {short(value)}
      {metric.unit}
    </Text>
  );
}

/** From the shortest to the longest edge along an axis, or in shares of a length to compare with. */
function Edges({
  edges,
  unit,
  against,
}: {
  edges: number[];
  unit: string;
  against: number | null;
}) {
  const [low, high] = [Math.min(...edges), Math.max(...edges)];
  const text = (value: number) =>
    against ? `${short(value / against, 3)} ×` : lengthText(value, unit);
  return text(low) === text(high) ? text(low) : `${text(low)} to ${text(high)}`;
}

/** What lies behind the sides, as buttons in a cross. */
function Beyond({ cell, go }: { cell: Probed; go: (to: number) => void }) {
  return (
    <Grid templateColumns="1fr 1fr" gap="1" mt="1" role="group" aria-label="Behind its sides">
      {Object.entries(cell.beyond).map(([side, { cell: to, patch }]) => (
        <Quiet
          key={side}
          size="2xs"
          disabled={to === null}
          justifyContent="space-between"
          title={to === null ? "the grid ends here" : `Go to the cell behind ${side}`}
          onClick={() => to !== null && go(to)}
        >
          <span>{side.replace("-", "−")}</span>
          <Text as="span" color="muted" fontFamily="mono" fontSize="10.5px" truncate>
            {to === null ? patch || "unnamed" : to}
          </Text>
        </Quiet>
      ))}
    </Grid>
  );
}
