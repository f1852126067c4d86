import { Box, Flex, Progress, Switch, Text } from "@chakra-ui/react";
import { lengthText, short, timeText, whole } from "../../model/numbers";
import { useBoardData } from "../../session/context";
import { useBoard } from "../../session/store";
import { Fact, Quiet } from "../../theme/parts";

interface Told {
  sweeps?: number;
  of?: number;
  move?: number;
  folded?: number;
  heights_off?: number;
  seconds_left?: number;
}

/** A run under way with its progress and a stop; afterwards what the runs reached, before and after. */
export function SmoothPanel() {
  const { model, quality, stop, job } = useBoardData();
  const id = useBoard((board) => board.job);
  const smoothed = useBoard((board) => board.smoothed);
  const set = useBoard((board) => board.set);
  const told = (job?.progress ?? {}) as Told;
  if (id && job?.state !== "failed") {
    return (
      <Box role="status" aria-label="Smoothing" borderTop="1px solid" borderColor="rule" pt="3">
        <Text fontWeight="600">Smoothing</Text>
        <Progress.Root
          value={told.of ? (100 * (told.sweeps ?? 0)) / told.of : null}
          size="sm"
          my="2"
          aria-label="Progress"
        >
          <Progress.Track bg="rule">
            <Progress.Range bg="ochre" />
          </Progress.Track>
        </Progress.Root>
        <Fact name="sweeps" value={`${whole(told.sweeps ?? 0)} of ${whole(told.of ?? 0)}`} />
        <Fact name="largest move" value={lengthText(told.move ?? 0, model.unit)} />
        <Fact name="folded cells" value={told.folded ?? 0} />
        <Fact name="time left" value={timeText(told.seconds_left ?? 0)} />
        <Quiet width="full" mt="2" size="sm" onClick={stop}>
          Stop, and keep what is reached
        </Quiet>
      </Box>
    );
  }
  if (!quality?.runs.length) return null;
  return (
    <Box borderTop="1px solid" borderColor="rule" pt="3">
      <Flex justify="space-between" align="center" mb="2">
        <Text fontWeight="600">{smoothed ? "After smoothing" : "Before smoothing"}</Text>
        <Switch.Root
          size="sm"
          checked={smoothed}
          onCheckedChange={(change) => set({ smoothed: change.checked, layer: "Cells" })}
        >
          <Switch.HiddenInput aria-label="Show the smoothed grid" />
          <Switch.Control />
        </Switch.Root>
      </Flex>
      {quality.runs.map((run, n) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: runs have no other name than their order
        <Box key={n} mb="2">
          <Fact
            name={`run ${n + 1}`}
            value={`${whole(run.sweeps)} sweeps, ${run.note || "all run"}`}
          />
          <Fact name="last move" value={lengthText(run.move, model.unit)} />
          {run.held > 0 && (
            <>
              <Fact name="wall nodes held" value={whole(run.held)} />
              <Fact name="first height within 1 %" value={`${short(100 * run.heights_within)} %`} />
              <Fact name="height off at most" value={`${short(100 * run.heights_off, 2)} %`} />
              <Fact
                name="wall angle within 3° of 90°"
                value={`${short(100 * run.angles_within)} %`}
              />
            </>
          )}
        </Box>
      ))}
    </Box>
  );
}
