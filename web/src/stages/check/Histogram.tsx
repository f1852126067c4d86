import { Box, Flex, Text } from "@chakra-ui/react";
import { useState } from "react";
import { http, taken } from "../../api/client";
import { short, whole } from "../../model/numbers";
import { freshId, replaced } from "../../model/places";
import type { Quality, Step } from "../../model/types";
import { useBoardData } from "../../session/context";
import { useBoard } from "../../session/store";
import { Empty, Heading, Quiet } from "../../theme/parts";
import { useCompared } from "../../view/inside/useCompared";
import { Bars } from "./Bars";

/** The histogram of a metric with the gate as a line to drag; a click on a bar, or a drag over some, shows their cells. */
export function Histogram() {
  const { quality } = useBoardData();
  if (!quality)
    return (
      <Box>
        <Heading>Histogram</Heading>
        <Empty>It appears with the grid.</Empty>
      </Box>
    );
  return <Spread key={quality.metric} quality={quality} />;
}

interface Picked {
  low: number;
  high: number;
  told: string;
}

function Spread({ quality }: { quality: Quality }) {
  const { project, model, keepSteps } = useBoardData();
  const { here, share, bars, choice, set } = useBoard((board) => board);
  const [picked, setPicked] = useState<Picked | null>(null);
  const metric = quality.metrics.find((m) => m.key === quality.metric);
  const limit = model.limits[quality.metric] ?? null;
  const log = bars.log ?? metric?.log ?? false;
  const found = useCompared().compared;
  const compared = found?.metric === quality.metric ? found : null;
  const spread = compared
    ? { bounds: compared.bounds, ...compared.ours, other: compared.theirs }
    : { ...quality, other: null };
  const show = async (first: number, last: number) => {
    const [low, high] = [spread.bounds[first] as number, spread.bounds[last + 1] as number];
    const query = { metric: quality.metric, smoothed: share > 0, low, high };
    const found = await taken(
      http.GET("/api/projects/{project}/cells", {
        params: { path: { project }, query: here === null ? query : { ...query, upto: here } },
      }),
    );
    set({ shown: found.cells, layer: "Quality" });
    const part = found.cells.length < found.all ? `, ${found.cells.length} of them shown` : "";
    const unit = metric?.unit ?? "";
    const told = `${whole(found.all)} cells from ${short(low)} to ${short(high)}${unit}${part}`;
    setPicked({ low, high, told });
  };
  const take = ({ low, high }: Picked) =>
    set({
      choice: { ...choice, conditions: [{ metric: quality.metric, low, high }] },
      part: { kind: "chosen" },
      shown: [],
    });
  const limited = (value: number, done: () => void) =>
    keepSteps((now: Step[]) => {
      const gate = now.findLast((step) => step.kind === "gate");
      const step = gate ?? { kind: "gate", id: freshId("gate", now) };
      const next = { ...step, [quality.metric]: value };
      return gate ? replaced(now, next) : [...now, next];
    }, done);
  return (
    <Box minW="0">
      <Heading
        right={
          picked?.told ??
          (limit === null
            ? "no limit"
            : `gate ${metric?.better === "high" ? "≥" : "≤"} ${short(limit)}${metric?.unit}`)
        }
      >
        {metric?.label ?? "Histogram"}
      </Heading>
      <Bars
        bounds={spread.bounds}
        values={bars.by === "cells" ? spread.counts : spread.volumes}
        cells={spread.counts}
        other={spread.other && (bars.by === "cells" ? spread.other.counts : spread.other.volumes)}
        metric={metric}
        limit={limit}
        log={log}
        show={(first, last) => void show(first, last)}
        move={limit === null ? undefined : limited}
      />
      <Flex gap="1" mt="0.5" align="center" fontSize="11px" color="muted">
        <Switch
          name="What the bars hold"
          options={["cells", "volume"]}
          value={bars.by}
          set={(by) => set({ bars: { ...bars, by: by as "cells" | "volume" } })}
        />
        <Switch
          name="How bars are spaced"
          options={["linear", "log"]}
          value={log ? "log" : "linear"}
          set={(how) => set({ bars: { ...bars, log: how === "log" } })}
        />
        <Box flex="1" />
        {picked && (
          <Quiet size="2xs" onClick={() => take(picked)}>
            Take the range
          </Quiet>
        )}
        {!picked && (
          <Text truncate>
            {compared ? `line: ${compared.theirs.name}` : "click a bar, or drag over several"}
          </Text>
        )}
      </Flex>
    </Box>
  );
}

interface SwitchProps {
  name: string;
  options: string[];
  value: string;
  set: (value: string) => void;
}

const Switch = ({ name, options, value, set }: SwitchProps) => (
  <Flex role="group" aria-label={name} mr="2">
    {options.map((one) => (
      <Quiet
        key={one}
        size="2xs"
        aria-pressed={one === value}
        bg={one === value ? "ochreSoft" : "card"}
        onClick={() => set(one)}
      >
        {one}
      </Quiet>
    ))}
  </Flex>
);
