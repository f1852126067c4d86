import { Box, Input, Text } from "@chakra-ui/react";
import { useEffect, useId, useState } from "react";
import type { Field } from "../../model/schema";
import { useBoardData } from "../../session/context";
import { readText, showText } from "./values";

interface Props {
  field: Field;
  value: unknown;
  change: (value: unknown) => void;
  id?: string;
}

/** A typed value; what cannot be read stays as typed, and is marked. */
export function TextField({ field, value, change, id }: Props) {
  const { steps } = useBoardData();
  const list = useId();
  const names = [
    ...new Set(steps.filter((step) => step.kind === field.of).map((step) => String(step.name))),
  ];
  const [text, setText] = useState(showText(field, value));
  const [bad, setBad] = useState("");
  useEffect(() => {
    // A value that came from elsewhere (the chart, the view) is shown; what is being typed stays.
    setText((typed) => {
      const read = readText(field, typed);
      return "value" in read && JSON.stringify(read.value) === JSON.stringify(value)
        ? typed
        : showText(field, value);
    });
    setBad("");
  }, [field, value]);
  const type = (typed: string) => {
    setText(typed);
    const read = readText(field, typed);
    if ("value" in read) {
      setBad("");
      change(read.value);
    } else setBad(read.problem);
  };
  return (
    <Box>
      <Input
        id={id}
        aria-label={id ? undefined : field.title}
        size="xs"
        height="26px"
        fontFamily="mono"
        textAlign={["text", "patch-name"].includes(field.widget) ? "left" : "right"}
        bg="card"
        borderColor={bad ? "madder" : "rule"}
        aria-invalid={bad ? true : undefined}
        list={names.length ? list : undefined}
        value={text}
        placeholder={placeholder(field)}
        onChange={(event) => type(event.target.value)}
      />
      {names.length > 0 && (
        <datalist id={list}>
          {names.map((name) => (
            <option key={name} value={name} />
          ))}
        </datalist>
      )}
      {bad && (
        <Text color="madder" fontSize="11px" role="alert">
          {bad}
        </Text>
      )}
    </Box>
  );
}

function placeholder(field: Field): string {
  if (field.fallback !== undefined && field.fallback !== null && !Array.isArray(field.fallback))
    return String(field.fallback);
  if (field.widget === "place") return "x, y";
  if (field.widget === "lengths") return "2.15, 5.10";
  if (field.widget === "place-or-guide") return "x, y, z  or  guide @ 0.25";
  if (field.widget === "direction") return "0, 0, 1";
  if (field.widget === "numbers") return "0.25, 0.5";
  return field.optional ? "left out" : "";
}
