import { Box, Flex, NativeSelect, Text } from "@chakra-ui/react";
import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useId, useRef, useState } from "react";
import { Problem, sendGeometry, sendPoints } from "../../../api/client";
import { ended, useJob } from "../../../api/job";
import type { Field } from "../../../model/schema";
import { useBoardData } from "../../../session/context";
import { Quiet, Wrong } from "../../../theme/parts";
import { JobUnderWay } from "../JobUnderWay";
import { FileFacts } from "./FileFacts";
import { FILE_KINDS, type FileKind } from "./fileKinds";

interface Props {
  field: Field;
  value: unknown;
  change: (value: unknown) => void;
}

/** A file: one that is there already, or a new one from disk, read before it is stored. */
export function FileField({ field, value, change }: Props) {
  const { project, recipe } = useBoardData();
  const cache = useQueryClient();
  const input = useRef<HTMLInputElement>(null);
  const [problem, setProblem] = useState("");
  const [reading, setReading] = useState<string | null>(null);
  const job = useJob(reading);
  const id = useId();
  const kind = FILE_KINDS[field.of ?? "geometry"] as FileKind;
  const fits = recipe.files.filter((name) => kind.fits.test(name));
  const files = [...new Set([...fits, ...(value ? [String(value)] : [])])];
  const stored = async (name: string) => {
    change(name);
    await cache.invalidateQueries({ queryKey: ["recipe", project] });
  };
  const send = async (file: File | undefined) => {
    if (!file) return;
    setProblem("");
    if (!kind.fits.test(file.name)) {
      setProblem(`${file.name} is of another kind: ${kind.other}.`);
      return;
    }
    try {
      if (kind.sent === "at once") await stored((await sendPoints(project, file)).name);
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
        accept={kind.accept}
        aria-label={kind.label}
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
        {kind.hint}
      </Text>
    </Box>
  );
}
