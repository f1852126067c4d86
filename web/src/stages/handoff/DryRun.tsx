import { Box, Flex, Text } from "@chakra-ui/react";
import { useEffect, useState } from "react";
import { http, taken } from "../../api/client";
import { ended, useJob } from "../../api/job";
import { useBoardData } from "../../session/context";
import { useBoard } from "../../session/store";
import { Quiet, Wrong } from "../../theme/parts";
import { JobUnderWay } from "../forms/JobUnderWay";
import { type Finding, Findings } from "./Findings";

/** A dry run on a file of a hand-off: asked for when it is shown, followed, and told. */
export function DryRun({ handoff, file }: { handoff: string; file: string }) {
  const { project } = useBoardData();
  const [id, setId] = useState<string | null>(null);
  const [problem, setProblem] = useState("");
  const job = useJob(id);
  const field = useBoard((board) => board.field);
  const set = useBoard((board) => board.set);
  useEffect(() => {
    taken(
      http.POST("/api/projects/{project}/handoffs/{job}/dry-runs", {
        params: { path: { project, job: handoff } },
        body: { file },
      }),
    ).then(
      (asked) => setId(asked.id),
      (error: Error) => setProblem(error.message),
    );
  }, [project, handoff, file]);
  if (problem) return <Wrong>{problem}</Wrong>;
  if (!id || !job || !ended(job))
    return id ? <JobUnderWay id={id} job={job} label="Dry run" /> : null;
  if (job.state === "failed") return <Wrong>{String(job.result.error)}</Wrong>;
  if (job.state === "stopped")
    return (
      <Text fontSize="12px" color="muted">
        The dry run was stopped.
      </Text>
    );
  const seen = Boolean(job.result.seen);
  return (
    <Box mt="2">
      <Text fontWeight="600" color={job.result.holds ? "teal" : "madder"}>
        {job.result.holds ? "✓ A flow goes through it" : "✗ Something is wrong with it"}
      </Text>
      {seen && (
        <Flex gap="1" mt="1" role="group" aria-label="Flow in the view">
          {(["speed", "potential"] as const).map((name) => {
            const on = field?.job === id && field.name === name;
            return (
              <Quiet
                key={name}
                size="2xs"
                aria-pressed={on}
                bg={on ? "ochreSoft" : undefined}
                onClick={() => set({ field: on ? null : { job: id, name }, layer: "Patches" })}
              >
                Show {name}
              </Quiet>
            );
          })}
        </Flex>
      )}
      <Findings label="What the dry run found" findings={job.result.findings as Finding[]} />
    </Box>
  );
}
