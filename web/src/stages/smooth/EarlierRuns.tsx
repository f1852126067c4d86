import { Box, Flex, Text } from "@chakra-ui/react";
import { useRuns } from "../../api/queries";
import { clockText, percent, short, whole } from "../../model/numbers";
import { useBoardData } from "../../session/context";
import { jobOf } from "../../session/run";
import { useBoard } from "../../session/store";
import { Fact, Heading, Quiet } from "../../theme/parts";

/** Runs of other states of the recipe, with what they reached; each can be brought back. */
export function EarlierRuns() {
  const { project, recipe, kinds, busy, bringBack } = useBoardData();
  const job = useBoard((board) => jobOf(board.run));
  const { data } = useRuns(project, recipe.revision, job);
  const earlier = data?.runs.filter((one) => one.revision !== recipe.revision) ?? [];
  if (!earlier.length) return null;
  return (
    <Box as="section" aria-label="Earlier runs" borderTop="1px solid" borderColor="rule" pt="3">
      <Heading>Earlier runs</Heading>
      {earlier.map((one) => {
        const last = one.reached.at(-1);
        if (!last) return null;
        const verbs = one.kinds.map((kind) => kinds.get(kind)?.verb ?? kind).join(", ");
        const sweeps = one.reached.reduce((sum, run) => sum + run.sweeps, 0);
        return (
          <Box key={one.revision} mb="3" role="group" aria-label={`State ${one.revision}`}>
            <Flex justify="space-between" align="center" gap="2">
              <Text fontWeight="500" fontSize="12.5px">
                {verbs}{" "}
                <Text as="span" color="muted" fontWeight="400">
                  {clockText(one.ended)}
                </Text>
              </Text>
              <Quiet size="2xs" disabled={busy} onClick={() => bringBack(one.revision)}>
                Bring back
              </Quiet>
            </Flex>
            <Fact name="sweeps" value={`${whole(sweeps)}, ${last.note || "not yet settled"}`} />
            {last.folded > 0 && <Fact name="folded cells" value={whole(last.folded)} />}
            <Fact name="worst scaled Jacobian" value={short(last.worst)} />
            {last.held > 0 && (
              <Fact name="first height within 1 %" value={percent(last.heights_within)} />
            )}
          </Box>
        );
      })}
    </Box>
  );
}
