import { Box, Flex, Input, NativeSelect, Text } from "@chakra-ui/react";
import { useEffect, useState } from "react";
import { http, taken } from "../../api/client";
import { ended, useJob } from "../../api/job";
import { useSchema } from "../../api/queries";
import { METRES, short, whole } from "../../model/numbers";
import type { HandoffWish } from "../../model/types";
import { useBoardData } from "../../session/context";
import { Do, Heading, Wrong } from "../../theme/parts";
import { JobUnderWay } from "../forms/JobUnderWay";
import { FormatChoice } from "./FormatChoice";
import { Outcome } from "./Outcome";
import { Tick } from "./Tick";

const UNITS = ["m", "cm", "mm", "in", "ft"] as const;
type Unit = (typeof UNITS)[number];

/** How to hand off, begun from how it was done last; then what came of it. */
export function WriteFiles({
  last,
  made,
}: {
  last: HandoffWish | null;
  made: (job: string) => void;
}) {
  const { project, model, recipe, quality } = useBoardData();
  const offered = useSchema().data?.formats ?? [];
  const plane = model.dim === 2;
  const [unit, setUnit] = useState<Unit>((last?.unit ?? model.unit) as Unit);
  const [scale, setScale] = useState(String(last?.scale ?? 1));
  const [chosen, setChosen] = useState(last?.formats ?? ["cgns"]);
  const [choices, setChoices] = useState(last?.options ?? {});
  const [foldedToo, setFoldedToo] = useState(false);
  const [polesToo, setPolesToo] = useState(false);
  const [id, setId] = useState<string | null>(null);
  const [problem, setProblem] = useState("");
  const job = useJob(id);
  const done = job?.state === "done" ? job.id : null;
  useEffect(() => {
    if (done) made(done);
  }, [done, made]);
  const formats = offered
    .filter((one) => chosen.includes(one.key) && (!plane || one.plane))
    .map((one) => one.key);
  const factor = ((METRES[model.unit] ?? 1) / (METRES[unit] ?? 1)) * Number(scale);
  // With a further factor the numbers of the file are in another unit than the one chosen.
  const metres = (METRES[unit] ?? 1) / Number(scale);
  const truly = UNITS.find((name) => Math.abs((METRES[name] ?? 1) / metres - 1) < 1e-9);
  const folded = quality?.folded ?? 0;
  const poles = quality?.poles ?? 0;
  const busy = id !== null && (job === null || !ended(job));
  const go = () => {
    setProblem("");
    const options = Object.fromEntries(formats.map((key) => [key, choices[key] ?? {}]));
    const body = {
      name: null, // that of the project
      formats,
      options,
      unit,
      scale: Number(scale),
      folded_too: foldedToo,
      poles_too: polesToo,
      revision: recipe.revision,
    };
    taken(
      http.POST("/api/projects/{project}/handoffs", { params: { path: { project } }, body }),
    ).then(
      (asked) => setId(asked.id),
      (error: Error) => setProblem(error.message),
    );
  };
  return (
    <Box as="section" aria-label="Hand off" borderTop="1px solid" borderColor="rule" pt="3">
      <Heading>Hand off</Heading>
      <FormatChoice
        offered={offered}
        chosen={chosen}
        choices={choices}
        plane={plane}
        change={(formats, options) => {
          setChosen(formats);
          setChoices(options);
        }}
      />
      {plane && (
        <Text fontSize="11px" color="muted" mb="2">
          The grid is plane and leaves as one. For a grid of space lift it first (Blocks, Extrude).
        </Text>
      )}
      <Flex align="center" gap="2" mb="1">
        <Text flex="1" fontSize="12.5px">
          Unit of the file
        </Text>
        <NativeSelect.Root size="xs" width="90px">
          <NativeSelect.Field
            aria-label="Unit of the file"
            bg="card"
            borderColor="rule"
            value={unit}
            onChange={(event) => setUnit(event.target.value as Unit)}
          >
            {UNITS.map((name) => (
              <option key={name}>{name}</option>
            ))}
          </NativeSelect.Field>
          <NativeSelect.Indicator />
        </NativeSelect.Root>
      </Flex>
      <Flex align="center" gap="2">
        <Text flex="1" fontSize="12.5px">
          Further factor
        </Text>
        <Input
          aria-label="Further factor"
          size="xs"
          width="90px"
          fontFamily="mono"
          textAlign="right"
          bg="card"
          borderColor="rule"
          value={scale}
          onChange={(event) => setScale(event.target.value)}
        />
      </Flex>
      <Text fontSize="11px" color="muted" mt="1">
        Coordinates are multiplied by {Number.isFinite(factor) ? short(factor, 6) : "?"}
        {Number(scale) !== 1 && metres > 0 && Number.isFinite(metres)
          ? `, so that 1 in the file is ${truly ? `1 ${truly}` : `${short(metres, 6)} m`}.`
          : "."}
      </Text>
      {folded > 0 && (
        <Box bg="madderSoft" color="madder" px="3" py="2" my="2" borderRadius="md">
          <Text fontSize="12px" fontWeight="600">
            {whole(folded)} cells are folded. Most solvers refuse such a grid.
          </Text>
          <Tick label="Yes, hand it off all the same" on={foldedToo} set={setFoldedToo} />
        </Box>
      )}
      {poles > 0 && (
        <Box bg="madderSoft" color="madder" px="3" py="2" my="2" borderRadius="md">
          <Text fontSize="12px" fontWeight="600">
            {whole(poles)} cells have an edge that has shrunk to a pole. Some solvers refuse them; a
            butterfly core takes the pole away.
          </Text>
          <Tick label="Yes, hand them off as degenerate" on={polesToo} set={setPolesToo} />
        </Box>
      )}
      {quality && !quality.passed && !folded && (
        <Text fontSize="12px" color="madder">
          The gate is not passed; the report will say so.
        </Text>
      )}
      {problem && <Wrong>{problem}</Wrong>}
      <Do
        mt="2"
        onClick={go}
        disabled={
          !formats.length ||
          !(Number(scale) > 0) ||
          (folded > 0 && !foldedToo) ||
          (poles > 0 && !polesToo) ||
          busy
        }
      >
        {busy ? "Writing …" : "Write the files"}
      </Do>
      {busy && id && <JobUnderWay id={id} job={job} label="Handing off" />}
      {job && ended(job) && <Outcome job={job} />}
    </Box>
  );
}
