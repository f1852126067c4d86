import { Box, Text, Textarea } from "@chakra-ui/react";
import { useEffect, useMemo, useState } from "react";
import type { Field } from "../../model/schema";
import { useBoardData } from "../../session/context";
import { readText, showText } from "./values";

interface Props {
  field: Field;
  value: unknown;
  change: (value: unknown) => void;
  id: string;
}

/** Many rows, typed or pasted: places, with guides and corners picked in the view, or a table of sizes. */
export function PlacesField({ field, value, change, id }: Props) {
  const { model } = useBoardData();
  const labels = useMemo(() => model.corners.map((c) => [c.id, c.label] as const), [model.corners]);
  const [text, setText] = useState(showText(field, value, labels));
  const [bad, setBad] = useState("");
  useEffect(() => {
    // What came from the view is shown; what is being typed stays.
    setText((typed) => {
      const read = readText(field, typed, labels);
      return "value" in read && JSON.stringify(read.value) === JSON.stringify(value)
        ? typed
        : showText(field, value, labels);
    });
  }, [field, value, labels]);
  const type = (typed: string) => {
    setText(typed);
    const read = readText(field, typed, labels);
    setBad("problem" in read ? read.problem : "");
    if ("value" in read) change(read.value);
  };
  return (
    <Box>
      <Textarea
        id={id}
        size="xs"
        rows={field.widget === "corner-places" ? 8 : 5}
        fontFamily="mono"
        bg="card"
        borderColor={bad ? "madder" : "rule"}
        aria-invalid={bad ? true : undefined}
        value={text}
        placeholder={
          field.widget === "table"
            ? "place size, one pair per row:\n0  1\n0.5  0.2\n1  1"
            : field.widget === "corner-places"
              ? `x, y, z ${model.unit}, a corner (c3) or guide @ 0.5; one per row`
              : `x, y, z ${model.unit}  or a guide point, one per row`
        }
        onChange={(event) => type(event.target.value)}
        onKeyDown={(event) => event.key === "Enter" && event.stopPropagation()}
      />
      {bad && (
        <Text color="madder" fontSize="11px" role="alert">
          {bad}
        </Text>
      )}
    </Box>
  );
}
