import { Box, Text } from "@chakra-ui/react";
import { useEffect, useState } from "react";
import { http, taken } from "../../api/client";
import { ended, useJob } from "../../api/job";
import { useBoardData } from "../../session/context";
import { Wrong } from "../../theme/parts";
import { JobUnderWay } from "../forms/JobUnderWay";
import { type Finding, Findings } from "./Findings";

/** A dry run on a file of a hand-off: asked for when it is shown, followed, and told. */
export function DryRun({ handoff, file }: { handoff: string; file: string }) {
  const { project } = useBoardData();
  const [id, setId] = useState<string | null>(null);
  const [problem, setProblem] = useState("");
  const job = useJob(id);
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
  return (
    <Box mt="2">
      <Text fontWeight="600" color={job.result.holds ? "teal" : "madder"}>
        {job.result.holds ? "✓ A flow goes through it" : "✗ Something is wrong with it"}
      </Text>
      <Findings label="What the dry run found" findings={job.result.findings as Finding[]} />
    </Box>
  );
}
