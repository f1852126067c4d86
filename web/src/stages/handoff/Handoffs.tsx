import { Box, chakra, Flex, Text } from "@chakra-ui/react";
import { useState } from "react";
import { http, taken } from "../../api/client";
import { ended, useJob } from "../../api/job";
import { clockText, whole } from "../../model/numbers";
import type { MadeHandoff } from "../../model/types";
import { useBoardData } from "../../session/context";
import { Heading, Quiet, Wrong } from "../../theme/parts";
import { JobUnderWay } from "../forms/JobUnderWay";

interface Props {
  made: MadeHandoff[];
  /** The one that all are held against; each against the one before it where none is chosen. */
  chosen: string | null;
  choose: (id: string | null) => void;
}

/** The hand-offs that were made: when, what, and what differs; fetched or written again. */
export function Handoffs({ made, chosen, choose }: Props) {
  if (!made.length) return null;
  return (
    <Box as="section" aria-label="Made before" borderTop="1px solid" borderColor="rule" pt="3">
      <Heading>Made before</Heading>
      {made.map((one) => (
        <Made
          key={one.id}
          one={one}
          against={made.find((other) => other.id === one.against)}
          chosen={one.id === chosen}
          choose={made.length > 2 ? choose : null}
        />
      ))}
    </Box>
  );
}

interface MadeProps {
  one: MadeHandoff;
  against: MadeHandoff | undefined;
  chosen: boolean;
  choose: Props["choose"] | null;
}

function Made({ one, against, chosen, choose }: MadeProps) {
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
      </Text>
      {against && (
        <Box fontSize="11px" color="muted" mt="1" pl="2" borderLeft="2px solid" borderColor="rule">
          <Text>
            against state {against.revision}, {clockText(against.ended)}
            {against.digest === one.digest ? ": the same files" : ""}
            {against.digest !== one.digest && !one.changes.length ? ": the same grid" : ""}
          </Text>
          {one.changes.map((change) => (
            <Text key={change} color="ink">
              {change}
            </Text>
          ))}
        </Box>
      )}
      {choose && (
        <Quiet
          size="2xs"
          mt="1"
          aria-pressed={chosen}
          onClick={() => choose(chosen ? null : one.id)}
          title="Hold all others against this one"
        >
          {chosen ? "Against the one before" : "Compare with this"}
        </Quiet>
      )}
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
