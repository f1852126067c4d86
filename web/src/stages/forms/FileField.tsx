import { Box, Flex, NativeSelect, Text } from "@chakra-ui/react";
import { useQueryClient } from "@tanstack/react-query";
import { useId, useRef, useState } from "react";
import { type PointFile, Problem, sendFile } from "../../api/client";
import { useBoardData } from "../../board/context";
import { short } from "../../model/numbers";
import type { Field } from "../../model/schema";
import { Quiet, Wrong } from "../../theme/parts";

interface Props {
  field: Field;
  value: unknown;
  change: (value: unknown) => void;
}

/** A point file: one that is there already, or a new one from disk, read at once. */
export function FileField({ field, value, change }: Props) {
  const { project, recipe } = useBoardData();
  const cache = useQueryClient();
  const input = useRef<HTMLInputElement>(null);
  const [problem, setProblem] = useState<Problem | null>(null);
  const [read, setRead] = useState<PointFile | null>(null);
  const id = useId();
  const files = [...new Set([...recipe.files, ...(value ? [String(value)] : [])])];
  const send = async (file: File | undefined) => {
    if (!file) return;
    setProblem(null);
    setRead(null);
    try {
      const found = await sendFile(project, file);
      setRead(found);
      change(found.name);
      await cache.invalidateQueries({ queryKey: ["recipe", project] });
    } catch (error) {
      if (error instanceof Problem) setProblem(error);
      else setProblem(new Problem(0, "The server cannot be reached; look whether it still runs."));
    }
  };
  const size = read && [0, 1].map((n) => short((read.high[n] ?? 0) - (read.low[n] ?? 0), 4));
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
        aria-label="Point file from disk"
        onChange={(event) => {
          void send(event.target.files?.[0]);
          event.target.value = "";
        }}
      />
      {problem && (
        <Box mt="1">
          <Wrong>{problem.message}</Wrong>
        </Box>
      )}
      {read && size && (
        <Text color="muted" fontSize="11px" mt="1">
          {read.points} points, {size[0]} by {size[1]} in its own numbers,{" "}
          {read.closed ? "closed" : `open, its ends ${short(read.gap)} apart`}
          {read.title ? `, titled “${read.title}”` : ""}
        </Text>
      )}
      <Text color="muted" fontSize="11px">
        One place per row, x y or x y z; lines with # are comments.
      </Text>
    </Box>
  );
}
