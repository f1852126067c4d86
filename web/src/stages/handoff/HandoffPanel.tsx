import { Box, Checkbox, chakra, Flex, Input, NativeSelect, Text } from "@chakra-ui/react";
import { useState } from "react";
import { http, taken } from "../../api/client";
import { ended, useJob } from "../../api/job";
import { useSchema } from "../../api/queries";
import { METRES, short, whole } from "../../model/numbers";
import type { Job } from "../../model/types";
import { useBoardData } from "../../session/context";
import { tone } from "../../theme/palette";
import { Do, Empty, Quiet, Wrong } from "../../theme/parts";

const UNITS = ["m", "cm", "mm", "in", "ft"] as const;
type Unit = (typeof UNITS)[number];

/** The patches, what is still unnamed, and the hand-off itself. */
export function HandoffPanel() {
  const { model } = useBoardData();
  if (!model.blocks.length)
    return <Empty>There is nothing to hand off yet: make blocks first.</Empty>;
  return (
    <>
      <Patches />
      {model.dim === 2 ? (
        <Empty>
          A hand-off is a grid in space: lift the plane first (Blocks, Extrude: E). One cell of
          depth will do.
        </Empty>
      ) : (
        <Export />
      )}
    </>
  );
}

function Patches() {
  const { model, steps, edit, begin } = useBoardData();
  return (
    <Box>
      {model.patches.map((patch, n) => {
        const step = steps.find((s) => s.kind === "patch" && s.name === patch.name);
        return (
          <chakra.button
            key={patch.name}
            type="button"
            display="flex"
            width="100%"
            gap="2"
            alignItems="center"
            py="1"
            px="1"
            cursor="pointer"
            borderRadius="4px"
            _hover={{ bg: "ochreSoft" }}
            onClick={() => step && edit(step.id)}
          >
            <Box width="10px" height="10px" borderRadius="2px" bg={tone(n)} flexShrink="0" />
            <Text fontFamily="mono" fontSize="12px" flex="1" textAlign="left" truncate>
              {patch.name}
            </Text>
            <Text fontSize="12px" color="muted">
              {patch.type}
            </Text>
            <Text fontFamily="mono" fontSize="11px" width="52px" textAlign="right">
              {whole(patch.faces)}
            </Text>
          </chakra.button>
        );
      })}
      {model.unnamed_faces > 0 ? (
        <Box bg="madderSoft" color="madder" px="3" py="2" mt="2" borderRadius="md">
          <Text fontSize="12px">
            {whole(model.unnamed_faces)} of {whole(model.faces)} outer faces have no name; they are
            drawn dark red in the view.
          </Text>
          <Quiet mt="1" onClick={() => begin("patch", { faces: { rest: true } })}>
            Name all the rest
          </Quiet>
        </Box>
      ) : (
        <Text color="teal" fontSize="12px" mt="1">
          ✓ every outer face has a name
        </Text>
      )}
    </Box>
  );
}

function Export() {
  const { project, model, quality } = useBoardData();
  const [unit, setUnit] = useState<Unit>(model.unit as Unit);
  const [scale, setScale] = useState("1");
  const offered = useSchema().data?.formats ?? [];
  const [left, setLeft] = useState<string[]>([]);
  const formats = offered.map(({ key }) => key).filter((key) => !left.includes(key));
  const [foldedToo, setFoldedToo] = useState(false);
  const [polesToo, setPolesToo] = useState(false);
  const [id, setId] = useState<string | null>(null);
  const [problem, setProblem] = useState("");
  const job = useJob(id);
  const factor = ((METRES[model.unit] ?? 1) / (METRES[unit] ?? 1)) * Number(scale);
  // With a further factor the numbers of the file are in another unit than the one chosen.
  const metres = (METRES[unit] ?? 1) / Number(scale);
  const truly = UNITS.find((name) => Math.abs((METRES[name] ?? 1) / metres - 1) < 1e-9);
  const folded = quality?.folded ?? 0;
  const poles = quality?.poles ?? 0;
  const go = () => {
    setProblem("");
    const body = {
      formats,
      unit,
      scale: Number(scale),
      folded_too: foldedToo,
      poles_too: polesToo,
    };
    taken(
      http.POST("/api/projects/{project}/handoffs", { params: { path: { project } }, body }),
    ).then(
      (asked) => setId(asked.id),
      (error: Error) => setProblem(error.message),
    );
  };
  return (
    <Box borderTop="1px solid" borderColor="rule" pt="3">
      <Text fontWeight="600" mb="1">
        Hand off
      </Text>
      <Flex gap="4" mb="2">
        {offered.map(({ key, label, about }) => (
          <Box key={key} title={about}>
            <Check
              label={label}
              on={formats.includes(key)}
              set={(on) => setLeft(on ? left.filter((other) => other !== key) : [...left, key])}
            />
          </Box>
        ))}
      </Flex>
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
          <Check label="Yes, hand it off all the same" on={foldedToo} set={setFoldedToo} />
        </Box>
      )}
      {poles > 0 && (
        <Box bg="madderSoft" color="madder" px="3" py="2" my="2" borderRadius="md">
          <Text fontSize="12px" fontWeight="600">
            {whole(poles)} cells have an edge that has shrunk to a pole. Some solvers refuse them; a
            butterfly core takes the pole away.
          </Text>
          <Check label="Yes, hand them off as degenerate" on={polesToo} set={setPolesToo} />
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
          (job !== null && !ended(job))
        }
      >
        {job && !ended(job) ? "Writing …" : "Write the files"}
      </Do>
      {job && <Outcome job={job} />}
    </Box>
  );
}

function Outcome({ job }: { job: Job }) {
  if (job.state === "failed")
    return (
      <Box mt="2">
        <Wrong>{String(job.result.error)}</Wrong>
      </Box>
    );
  if (job.state !== "done") return null;
  const files = job.result.files as string[];
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
    </Box>
  );
}

const Check = ({ label, on, set }: { label: string; on: boolean; set: (on: boolean) => void }) => (
  <Checkbox.Root size="sm" checked={on} onCheckedChange={(change) => set(change.checked === true)}>
    <Checkbox.HiddenInput />
    <Checkbox.Control />
    <Checkbox.Label fontSize="12.5px">{label}</Checkbox.Label>
  </Checkbox.Root>
);
