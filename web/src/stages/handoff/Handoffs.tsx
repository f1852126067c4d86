import { Box, chakra, Flex, Text } from "@chakra-ui/react";
import { useState } from "react";
import { http, taken } from "../../api/client";
import { ended, useJob } from "../../api/job";
import { clockText, whole } from "../../model/numbers";
import type { MadeHandoff } from "../../model/types";
import { useBoardData } from "../../session/context";
import { Heading, Quiet, Wrong } from "../../theme/parts";
import { JobUnderWay } from "../forms/JobUnderWay";

/** The hand-offs that were made: when, what, and whether the files are alike; fetched or written again. */
export function Handoffs({ made }: { made: MadeHandoff[] }) {
  if (!made.length) return null;
  return (
    <Box as="section" aria-label="Made before" borderTop="1px solid" borderColor="rule" pt="3">
      <Heading>Made before</Heading>
      {made.map((one, n) => (
        <Made
          key={one.id}
          one={one}
          alike={made.slice(n + 1).find((o) => o.digest === one.digest)}
        />
      ))}
    </Box>
  );
}

function Made({ one, alike }: { one: MadeHandoff; alike: MadeHandoff | undefined }) {
  const { recipe } = useBoardData();
  const { formats, unit, scale } = one.asked;
  return (
    <Box mb="3" fontSize="12px" role="group" aria-label={`Hand-off of state ${one.revision}`}>
      <Flex justify="space-between" align="center" gap="2">
        <Text fontWeight="500">
          state {one.revision}
          {one.revision === recipe.revision ? " (this one)" : ""}{" "}
          <Text as="span" color="muted" fontWeight="400">
            {clockText(one.ended)}
          </Text>
        </Text>
        {one.there ? (
          <chakra.a
            href={`/api/jobs/${one.id}/download`}
            download
            color="teal"
            fontWeight="600"
            textDecoration="underline"
          >
            {one.name}
          </chakra.a>
        ) : (
          <Again one={one} />
        )}
      </Flex>
      <Text color="muted">
        {formats.join(", ")}; {whole(one.cells)} cells{unit ? ` in ${unit}` : ""}
        {scale !== 1 ? ` × ${scale}` : ""}; {megabytes(one.bytes)};{" "}
        {one.holds ? "all held" : "not all held"}
      </Text>
      <Text color="muted" fontFamily="mono" fontSize="11px" title={one.digest}>
        {one.digest.slice(0, 16)}
        {alike ? `, as that of ${clockText(alike.ended)}` : ""}
      </Text>
    </Box>
  );
}

/** Writes files that are gone again, from the recipe as it was. */
function Again({ one }: { one: MadeHandoff }) {
  const { project } = useBoardData();
  const [id, setId] = useState<string | null>(null);
  const [problem, setProblem] = useState("");
  const job = useJob(id);
  if (problem) return <Wrong>{problem}</Wrong>;
  if (id && (!job || !ended(job))) return <JobUnderWay id={id} job={job} label="Writing again" />;
  return (
    <Quiet
      size="2xs"
      onClick={() =>
        taken(
          http.POST("/api/projects/{project}/handoffs", {
            params: { path: { project } },
            body: { ...one.asked, revision: one.revision },
          }),
        ).then(
          (asked) => setId(asked.id),
          (error: Error) => setProblem(error.message),
        )
      }
    >
      Write again
    </Quiet>
  );
}

const megabytes = (bytes: number): string =>
  bytes < 1e6 ? `${Math.max(1, Math.round(bytes / 1e3))} kB` : `${(bytes / 1e6).toFixed(1)} MB`;
