import { Box, Flex, NativeSelect, Text } from "@chakra-ui/react";
import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useId, useRef, useState } from "react";
import { Problem, sendGeometry, sendPoints } from "../../api/client";
import { ended, useJob } from "../../api/job";
import { useFile } from "../../api/queries";
import { METRES, short, whole } from "../../model/numbers";
import type { Field } from "../../model/schema";
import { answer } from "../../session/answering";
import { useBoardData } from "../../session/context";
import { useBoard } from "../../session/store";
import { Mono, Quiet, Wrong } from "../../theme/parts";
import { JobUnderWay } from "./JobUnderWay";

interface Props {
  field: Field;
  value: unknown;
  change: (value: unknown) => void;
}

const RECIPE = /\.json$/i;
const GEOMETRY = /\.(step|stp|iges|igs|stl|obj|dxf)$/i;

/** A geometry file: one that is there already, or a new one from disk, read before it is stored. */
export function FileField({ field, value, change }: Props) {
  const { project, recipe } = useBoardData();
  const cache = useQueryClient();
  const input = useRef<HTMLInputElement>(null);
  const [problem, setProblem] = useState("");
  const [reading, setReading] = useState<string | null>(null);
  const job = useJob(reading);
  const id = useId();
  const recipes = field.of === "recipe";
  const points = field.of === "points" || recipes;
  const fits = recipe.files.filter(
    (name) => RECIPE.test(name) === recipes && GEOMETRY.test(name) !== points,
  );
  const files = [...new Set([...fits, ...(value ? [String(value)] : [])])];
  const stored = async (name: string) => {
    change(name);
    await cache.invalidateQueries({ queryKey: ["recipe", project] });
  };
  const send = async (file: File | undefined) => {
    if (!file) return;
    setProblem("");
    if (GEOMETRY.test(file.name) === points || RECIPE.test(file.name) !== recipes) {
      const other = recipes
        ? "a recipe (.json) is wanted here"
        : `use “${points ? "Bring in" : "Read points"}”`;
      setProblem(`${file.name} is of another kind: ${other}.`);
      return;
    }
    try {
      if (points) await stored((await sendPoints(project, file)).name);
      else setReading((await sendGeometry(project, file)).id);
    } catch (error) {
      setProblem(
        error instanceof Problem
          ? error.message
          : "The server cannot be reached; look whether it still runs.",
      );
    }
  };
  // biome-ignore lint/correctness/useExhaustiveDependencies: only the end of a job is of interest
  useEffect(() => {
    if (!job || !ended(job)) return;
    setReading(null);
    if (job.state === "done") void stored(String(job.result.name));
    else if (job.state === "failed") setProblem(String(job.result.error ?? "It cannot be read."));
  }, [job]);
  return (
    <Box
      py="1"
      onDragOver={(event) => event.preventDefault()}
      onDrop={(event) => {
        event.preventDefault();
        void send(event.dataTransfer.files[0]);
      }}
    >
      <Text as="label" fontSize="12.5px" {...{ htmlFor: id }}>
        {field.title}
      </Text>
      <Flex gap="1" mt="1">
        <NativeSelect.Root size="xs">
          <NativeSelect.Field
            id={id}
            fontFamily="mono"
            bg="card"
            borderColor="rule"
            value={String(value ?? "")}
            onChange={(event) => change(event.target.value || undefined)}
          >
            <option value="">none yet</option>
            {files.map((name) => (
              <option key={name} value={name}>
                {name}
              </option>
            ))}
          </NativeSelect.Field>
          <NativeSelect.Indicator />
        </NativeSelect.Root>
        <Quiet type="button" onClick={() => input.current?.click()}>
          From disk
        </Quiet>
      </Flex>
      <input
        ref={input}
        type="file"
        hidden
        accept={points ? undefined : ".step,.stp,.iges,.igs,.stl,.obj,.dxf"}
        aria-label={
          recipes ? "Recipe from disk" : points ? "Point file from disk" : "Geometry file from disk"
        }
        onChange={(event) => {
          void send(event.target.files?.[0]);
          event.target.value = "";
        }}
      />
      {reading && <JobUnderWay id={reading} job={job} label="Reading" />}
      {problem && (
        <Box mt="1">
          <Wrong>{problem}</Wrong>
        </Box>
      )}
      {value ? <FileFacts name={String(value)} /> : null}
      <Text color="muted" fontSize="11px">
        {points
          ? "One place per row, x y or x y z; an empty row begins another curve; # comments."
          : "STEP, IGES, STL, OBJ or DXF."}
      </Text>
    </Box>
  );
}

/** What a stored file holds; where it does not say its unit, its size in each that it may be in. */
function FileFacts({ name }: { name: string }) {
  const { project, model, kinds } = useBoardData();
  const draft = useBoard((board) => board.draft);
  const kind = kinds.get(draft?.step.kind ?? "");
  const { data, error } = useFile(project, name);
  if (error) return <Wrong>{error.message}</Wrong>;
  if (!data) return null;
  const sizes = data.low.map((v, n) => (data.high[n] ?? 0) - v);
  const flat = (sizes[2] ?? 0) === 0 ? sizes.slice(0, 2) : sizes;
  const counts = Object.entries(data.counts).map(
    ([what, count]) => `${whole(count)} ${count === 1 ? what.replace(/s$/, "") : what}`,
  );
  const chosen = draft?.step.file_unit;
  const pick = (unit: string) => kind && answer(kind, draft?.step.id, { file_unit: unit });
  return (
    <Box mt="1" fontSize="11px" color="muted">
      <Text>
        {counts.join(", ")}
        {data.title ? `, titled “${data.title}”` : ""}
        {data.kind === "points" &&
          (data.closed ? ", closed" : `, open, its ends ${short(data.gap)} apart`)}
      </Text>
      {data.kind === "recipe" ? null : data.unit ? (
        <Text>
          {flat.map((v) => short(inUnit(v, data.unit, model.unit), 4)).join(" × ")} {model.unit}
          {data.file_unit && `; written in ${data.file_unit}`}
        </Text>
      ) : (
        <Box>
          <Text>The file does not say its unit. It would be:</Text>
          {Object.keys(METRES).map((unit) => (
            <Flex
              key={unit}
              as="button"
              {...{ type: "button" }}
              width="100%"
              justify="space-between"
              px="1.5"
              borderRadius="4px"
              cursor="pointer"
              bg={chosen === unit ? "ochreSoft" : undefined}
              color={chosen === unit ? "ink" : undefined}
              _hover={{ bg: "ochreSoft" }}
              onClick={() => pick(unit)}
            >
              <Text>in {unit}</Text>
              <Mono>
                {flat.map((v) => short(inUnit(v, unit, model.unit), 4)).join(" × ")} {model.unit}
              </Mono>
            </Flex>
          ))}
        </Box>
      )}
      {data.left_out.length > 0 && <Text>left out: {data.left_out.slice(0, 5).join(", ")}</Text>}
    </Box>
  );
}

const inUnit = (value: number, from: string, to: string): number =>
  (value * (METRES[from] ?? 1)) / (METRES[to] ?? 1);
