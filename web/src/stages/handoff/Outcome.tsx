import { Box, chakra, Flex, Text } from "@chakra-ui/react";
import { useState } from "react";
import type { Job } from "../../model/types";
import { Quiet, Wrong } from "../../theme/parts";
import { DryRun } from "./DryRun";
import { type Finding, Findings } from "./Findings";

interface Proof {
  file: string;
  holds: boolean;
  /** Whether the file holds a whole grid, on which a dry run can be made; older results do not say. */
  grid?: boolean;
  findings: Finding[];
}

/** What came of a hand-off: the files, and the proof of each. */
export function Outcome({ job }: { job: Job }) {
  if (job.state === "failed")
    return (
      <Box mt="2">
        <Wrong>{String(job.result.error)}</Wrong>
      </Box>
    );
  if (job.state === "stopped")
    return (
      <Text mt="2" fontSize="12px" color="muted">
        It was stopped; nothing was written.
      </Text>
    );
  const files = job.result.files as string[];
  const proofs = (job.result.proofs ?? []) as Proof[];
  const notes = (job.result.facts as { notes?: string[] } | undefined)?.notes ?? [];
  return (
    <Box mt="2" bg="tealSoft" borderRadius="md" px="3" py="2" fontSize="12px">
      <Text as="span">{files.length} files are ready: </Text>
      <chakra.a
        href={`/api/jobs/${job.id}/download`}
        download
        color="teal"
        fontWeight="600"
        textDecoration="underline"
      >
        {String(job.result.name)}
      </chakra.a>
      {notes.map((note) => (
        <Text key={note} mt="1" color="muted">
          {note}.
        </Text>
      ))}
      {proofs.map((proof) => (
        <Proved key={proof.file} handoff={job.id} proof={proof} />
      ))}
    </Box>
  );
}

/** The proof of a file, open where something does not hold, and the dry run on it. */
function Proved({ handoff, proof }: { handoff: string; proof: Proof }) {
  const [open, setOpen] = useState(!proof.holds);
  const [running, setRunning] = useState(false);
  const held = proof.findings.filter((one) => one.fine).length;
  const looked = proof.findings.filter((one) => one.fine !== null).length;
  return (
    <Box
      role="group"
      aria-label={`Proof of ${proof.file}`}
      borderTop="1px solid"
      borderColor="rule"
      mt="2"
      pt="2"
    >
      <Text fontFamily="mono" overflowWrap="anywhere">
        {proof.file}
      </Text>
      <Flex gap="2" align="center" mt="1">
        <Text flex="1" color={proof.holds ? "teal" : "madder"} fontWeight="600">
          {proof.holds ? `✓ ${held} of ${looked} hold` : "✗ not as it was sent"}
        </Text>
        <Quiet size="2xs" aria-expanded={open} onClick={() => setOpen(!open)}>
          {open ? "Less" : "All"}
        </Quiet>
        {proof.grid !== false && (
          <Quiet size="2xs" disabled={running} onClick={() => setRunning(true)}>
            Dry run
          </Quiet>
        )}
      </Flex>
      {open && <Findings label={`What holds of ${proof.file}`} findings={proof.findings} />}
      {running && <DryRun handoff={handoff} file={proof.file} />}
    </Box>
  );
}
