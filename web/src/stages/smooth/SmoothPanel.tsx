import { Box, Flex, Progress, Switch, Text } from "@chakra-ui/react";
import { useEffect, useState } from "react";
import { onlyInSpace } from "../../model/looking";
import { percent, short, timeText, whole } from "../../model/numbers";
import { isRun } from "../../model/places";
import type { Quality, Step } from "../../model/types";
import { useBoardData } from "../../session/context";
import { jobOf } from "../../session/run";
import { useBoard } from "../../session/store";
import { Fact, Mono, Quiet } from "../../theme/parts";
import { Slide } from "../../view/Slide";
import { joined } from "../forms/rules";
import { Curve } from "./Curves";
import { EarlierRuns } from "./EarlierRuns";

type Run = Quality["runs"][number];

interface Told {
  run?: number;
  runs?: number;
  sweeps?: number;
  of?: number;
  share?: number;
  worst?: number;
  folded?: number;
  note?: string;
  seconds_left?: number;
}

/** A run under way with its curves and a stop; afterwards the grid before and after, and each run. */
export function SmoothPanel() {
  const { quality, job, notRun, runAgain } = useBoardData();
  const id = useBoard((board) => jobOf(board.run));
  if (id && job?.state !== "failed")
    return <UnderWay key={id} told={(job?.progress ?? {}) as Told} />;
  return (
    <>
      {notRun && (
        <Box role="status" borderTop="1px solid" borderColor="rule" pt="3" pb="2">
          <Text mb="2">{notRun} The grid of this recipe has not been smoothed.</Text>
          <Quiet width="full" size="sm" onClick={runAgain}>
            Run it
          </Quiet>
        </Box>
      )}
      {quality?.runs.length ? <Reached quality={quality} /> : null}
      <EarlierRuns />
    </>
  );
}

/** What comes before the sweeps that are asked for. */
const BEFORE = new Set(["on a coarser grid", "on its sides", "untangling first"]);

/** What comes after them, where it must, in words. */
const AFTER: Record<string, string> = {
  "pulling back": ", pulling back what would miss limits",
  "trying without pins": ", trying which pins fold it",
};

function UnderWay({ told }: { told: Told }) {
  const { stop } = useBoardData();
  const verbs = useRunVerbs();
  const [shares, setShares] = useState<number[]>([]);
  const [worsts, setWorsts] = useState<number[]>([]);
  const { share, worst, sweeps } = told;
  const before = BEFORE.has(told.note ?? "") ? told.note : undefined;
  useEffect(() => {
    if (before || sweeps === undefined || share === undefined || worst === undefined) return;
    setShares((old) => [...old, share]);
    setWorsts((old) => [...old, worst]);
  }, [before, sweeps, share, worst]);
  return (
    <Box role="status" aria-label="Smoothing" borderTop="1px solid" borderColor="rule" pt="3">
      <Text fontWeight="600">
        {verbs[(told.run ?? 1) - 1] ?? "Smooth"}
        {(told.runs ?? 1) > 1 ? `, run ${told.run} of ${told.runs}` : ""}
        {before ? ` ${before}` : (AFTER[told.note ?? ""] ?? "")}
      </Text>
      <Progress.Root
        value={told.of && !before ? (100 * (sweeps ?? 0)) / told.of : null}
        size="sm"
        my="2"
        aria-label="Progress"
      >
        <Progress.Track bg="rule">
          <Progress.Range bg="ochre" />
        </Progress.Track>
      </Progress.Root>
      {before ? (
        <Fact name="largest move, of its cell" value={percent(share ?? 0)} />
      ) : (
        <Fact name="sweeps" value={`${whole(sweeps ?? 0)} of ${whole(told.of ?? 0)}`} />
      )}
      <Fact name="folded cells" value={whole(told.folded ?? 0)} />
      {!before && <Fact name="time left at most" value={timeText(told.seconds_left ?? 0)} />}
      {shares.length > 1 && (
        <>
          {shares.some((one) => one > 0) && (
            <Curve
              name="largest move, of its cell"
              values={shares}
              log
              text={percent(share ?? 0)}
            />
          )}
          <Curve name="worst scaled Jacobian" values={worsts} text={short(worst ?? 0)} />
        </>
      )}
      <Quiet width="full" mt="2" size="sm" onClick={stop}>
        {before ? "Stop (nothing is reached yet)" : "Stop, and keep what is reached"}
      </Quiet>
    </Box>
  );
}

/** What the table of before and after holds, by the keys of metrics. */
const ROWS = ["scaled_jacobian", "smallest_angle", "largest_angle", "volume_ratio"];

function Reached({ quality }: { quality: Quality }) {
  const { model } = useBoardData();
  const verbs = useRunVerbs();
  const steps = useRunSteps();
  return (
    <Box borderTop="1px solid" borderColor="rule" pt="3">
      {model.smoothing > 0 ? (
        <BeforeAndAfter quality={quality} />
      ) : (
        <Text mb="3">Steps after the last run work on the smoothed grid.</Text>
      )}
      <GoOn quality={quality} />
      {quality.runs.map((run, n) => (
        <RunFacts
          // biome-ignore lint/suspicious/noArrayIndexKey: runs have no other name than their order
          key={n}
          run={run}
          step={steps[n]}
          name={quality.runs.length > 1 ? `${verbs[n]}, run ${n + 1}` : "run"}
        />
      ))}
    </Box>
  );
}

/** The switch between the grid as filled and smoothed, and the worst of both. */
function BeforeAndAfter({ quality }: { quality: Quality }) {
  const { filled } = useBoardData();
  const share = useBoard((board) => board.share);
  const set = useBoard((board) => board.set);
  const value = (of: Quality | null, key: string) => {
    const metric = of?.metrics.find((one) => one.key === key);
    return metric?.worst == null ? "…" : `${short(metric.worst)}${metric.unit}`;
  };
  return (
    <>
      <Flex justify="space-between" align="center" mb="2">
        <Text fontWeight="600">
          On view: {share === 1 ? "smoothed" : share === 0 ? "as filled" : "between the two"}
        </Text>
        <Switch.Root
          size="sm"
          checked={share > 0}
          onCheckedChange={(change) => set({ share: Number(change.checked), layer: "Cells" })}
        >
          <Switch.HiddenInput aria-label="Show the smoothed grid" />
          <Switch.Control />
        </Switch.Root>
      </Flex>
      <Flex align="center" gap="2.5" mb="3" fontSize="12px" color="muted">
        filled
        <Slide
          labels={["From the filled to the smoothed grid"]}
          value={[share]}
          most={1}
          step={0.05}
          set={([to]) => set({ share: to ?? 1, layer: "Cells" })}
        />
        smoothed
      </Flex>
      <Box as="table" width="full" fontSize="12.5px" mb="3" aria-label="Filled and smoothed">
        <thead>
          <Box as="tr" color="muted">
            <Box as="th" textAlign="left" fontWeight="400">
              worst of all cells
            </Box>
            <Box as="th" textAlign="right" fontWeight="400" pl="3">
              filled
            </Box>
            <Box as="th" textAlign="right" fontWeight="400" pl="3">
              smoothed
            </Box>
          </Box>
        </thead>
        <tbody>
          <Line
            name="folded cells"
            before={filled ? whole(filled.folded) : "…"}
            after={whole(quality.folded)}
          />
          {ROWS.map((key) => (
            <Line
              key={key}
              name={quality.metrics.find((metric) => metric.key === key)?.label ?? key}
              before={value(filled, key)}
              after={value(quality, key)}
            />
          ))}
        </tbody>
      </Box>
    </>
  );
}

const Line = ({ name, before, after }: { name: string; before: string; after: string }) => (
  <tr>
    <td>{name}</td>
    <Box as="td" textAlign="right" pl="3">
      <Mono>{before}</Mono>
    </Box>
    <Box as="td" textAlign="right" pl="3">
      <Mono>{after}</Mono>
    </Box>
  </tr>
);

/** The runs of the recipe as far as it is looked at, in their order. */
function useRunSteps(): Step[] {
  const { steps, kinds } = useBoardData();
  const here = useBoard((board) => board.here);
  return steps.slice(0, here ?? undefined).filter((step) => isRun(kinds.get(step.kind)));
}

/** The verbs of these runs. */
function useRunVerbs(): string[] {
  const { kinds } = useBoardData();
  return useRunSteps().map((step) => kinds.get(step.kind)?.verb ?? "");
}

/** What ended before it had settled can go on from there, as a run of its own. */
function GoOn({ quality }: { quality: Quality }) {
  const { model, begin } = useBoardData();
  const set = useBoard((board) => board.set);
  const last = useRunSteps().at(-1);
  const note = quality.runs.at(-1)?.note;
  if (!last || (note !== "" && note !== "stopped")) return null;
  const { id, sweeps, kind, ...rest } = last;
  const start = kind === "smooth" ? { start: "from the grid as it is" } : {};
  const goOn = () => {
    // It belongs where the last run is: in the plane, before a lift, or in space.
    set({ space: onlyInSpace(model) || model.smoothing_in_space > 0 });
    begin(kind, { ...rest, ...start });
  };
  return (
    <Quiet width="full" mb="2" size="sm" onClick={goOn}>
      Go on from there
    </Quiet>
  );
}

/** What one run reached, and where it was held up. */
function RunFacts({ run, step, name }: { run: Run; step?: Step; name: string }) {
  const { model, keepSteps } = useBoardData();
  const set = useBoard((board) => board.set);
  const look = run.rough ?? run.yielded_at;
  const named = run.pins ?? {};
  const pins = Object.keys(named);
  const setFree = () =>
    keepSteps((steps) =>
      steps.map((one) =>
        one.id === step?.id ? { ...one, loose: joined(one.loose, "any", { ids: pins }) } : one,
      ),
    );
  const size = Math.max(
    ...[0, 1, 2].map((n) => {
      const values = model.corners.map((corner) => corner.xyz[n] ?? 0);
      return Math.max(...values) - Math.min(...values);
    }),
  );
  return (
    <Box mb="2">
      <Fact name={name} value={`${whole(run.sweeps)} sweeps, ${run.note || "not yet settled"}`} />
      {run.yielded_at && run.yielded > 0 && (
        <Text fontSize="12px" color="muted">
          {whole(run.yielded)} nodes went back around (
          {run.yielded_at.map((v) => short(v)).join(", ")}) {model.unit}: limits of the gate that
          held before would be missed.
        </Text>
      )}
      {run.stayed && (
        <Text fontSize="12px" color="muted" mb="1">
          Sides that should have moved by themselves stayed: the inside would have got worse.
        </Text>
      )}
      {run.share > 0 && <Fact name="last move, of its cell" value={percent(run.share)} />}
      {(run.folded_before > 0 || run.folded > 0) && (
        <Fact name="folded cells" value={`${whole(run.folded_before)} → ${whole(run.folded)}`} />
      )}
      {run.folded_before === 0 && (
        <Fact
          name="worst scaled Jacobian"
          value={`${short(run.worst_before)} → ${short(run.worst)}`}
        />
      )}
      {look && (
        <Quiet
          size="xs"
          width="full"
          my="1"
          title={
            run.folded
              ? "Cells stay folded here. Where nodes that hold fold them, let these go or change the blocks."
              : "Limits that were met before would be missed here, so the nodes were pulled back. Look at the blocks there."
          }
          onClick={() => set({ target: { at: look, size: 0.15 * size, turn: Date.now() } })}
        >
          {run.folded ? "Still folded: look there" : "Look where nodes went back"}
        </Quiet>
      )}
      {pins.length > 0 && (
        <Text fontSize="12px" color="muted">
          {pins.length > 1 ? "The pinned corners" : "The pinned corner"}{" "}
          {Object.values(named).join(", ")} {pins.length > 1 ? "keep" : "keeps"} cells folded.
        </Text>
      )}
      {pins.length > 0 && step && (
        <Quiet
          size="xs"
          width="full"
          my="1"
          title="Lets them move within this run; they stay pinned for everything else."
          onClick={setFree}
        >
          {pins.length > 1 ? "Set them free in this run" : "Set it free in this run"}
        </Quiet>
      )}
      {run.held > 0 && (
        <>
          <Fact name="wall nodes held" value={whole(run.held)} />
          <Fact name="first height within 1 %" value={percent(run.heights_within)} />
          <Fact name="height off at most" value={percent(run.heights_off)} />
          <Fact name="wall angle within 3° of 90°" value={percent(run.angles_within)} />
        </>
      )}
    </Box>
  );
}
