import { Box, Flex, Progress, Text } from "@chakra-ui/react";
import { http, taken } from "../../api/client";
import { timeText } from "../../model/numbers";
import type { Job } from "../../model/types";
import { Quiet } from "../../theme/parts";

/** A job that is under way: how far it is, what it does, the time left, and its stop. */
export function JobUnderWay({ id, job, label }: { id: string; job: Job | null; label: string }) {
  const left = job?.progress.seconds_left;
  return (
    <Box mt="1.5" role="status">
      <Progress.Root value={100 * Number(job?.progress.share ?? 0)} size="xs" aria-label={label}>
        <Progress.Track>
          <Progress.Range bg="rust" />
        </Progress.Track>
      </Progress.Root>
      <Flex justify="space-between" align="center" mt="1">
        <Text fontSize="11px" color="muted">
          {String(job?.progress.words ?? "waiting")} …
          {typeof left === "number" && left > 2 ? ` about ${timeText(left)} left` : ""}
        </Text>
        <Quiet
          size="2xs"
          type="button"
          onClick={() =>
            void taken(http.POST("/api/jobs/{job}/stop", { params: { path: { job: id } } }))
          }
        >
          Stop
        </Quiet>
      </Flex>
    </Box>
  );
}
