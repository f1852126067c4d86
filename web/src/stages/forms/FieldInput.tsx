import { Box, Flex, NativeSelect, Text } from "@chakra-ui/react";
import { useEffect, useId } from "react";
import type { Field } from "../../model/schema";
import { GUIDING, SELECTING } from "../../model/schema";
import { useBoardData } from "../../session/context";
import { useBoard } from "../../session/store";
import { FileField } from "./files/FileField";
import { GuidesField } from "./GuidesField";
import { PlacesField } from "./PlacesField";
import { ProposalsField } from "./ProposalsField";
import { SelectionField } from "./SelectionField";
import { TableField } from "./TableField";
import { TextField } from "./TextField";
import { type FieldProps, unitBehind } from "./values";

/** One field of a form, by its widget. */
export function FieldInput(props: FieldProps) {
  const { field } = props;
  const { model } = useBoardData();
  const id = useId();
  const asked = useBoard((board) => board.draft?.focus === field.name);
  useEffect(() => {
    if (asked) document.getElementById(id)?.focus();
  }, [asked, id]);
  if (field.widget === "file") return <FileField {...props} />;
  const wide =
    SELECTING.has(field.widget) ||
    field.choices.some((choice) => choice.length > 15) ||
    [
      "lengths",
      "numbers",
      "place-or-guide",
      "guides",
      "places",
      "corner-places",
      "proposals",
      "table",
    ].includes(field.widget);
  return (
    <Box
      py="0.5"
      title={field.help || undefined}
      onFocus={GUIDING.has(field.widget) ? props.take : undefined}
    >
      <Flex
        direction={wide ? "column" : "row"}
        gap={wide ? "1" : "2"}
        align={wide ? "stretch" : "center"}
      >
        <Text
          as="label"
          flex="1"
          fontSize="12.5px"
          {...{ htmlFor: id }}
          {...unitBehind(field, model.unit)}
        >
          {field.title}
          {field.unit && (
            <Text as="span" color="muted">
              {" "}
              ({field.unit})
            </Text>
          )}
        </Text>
        <Box width={wide ? "100%" : "124px"} flexShrink="0">
          <Control {...props} id={id} />
        </Box>
      </Flex>
    </Box>
  );
}

function Control(props: FieldProps & { id: string }) {
  const { field, value, change, id } = props;
  const { model } = useBoardData();
  if (SELECTING.has(field.widget)) return <SelectionField {...props} />;
  if (field.widget === "choice") {
    const choices = field.choices.map((choice) => ({ value: choice, label: choice }));
    return <Choice id={id} {...{ field, value, change, choices }} />;
  }
  if (field.widget === "guide") {
    const dim = { curve: 1, surface: 2 }[field.of];
    const fits = model.guides.filter((guide) => dim === undefined || guide.dim === dim);
    const names = [...fits, ...(field.of ? [] : model.groups)].map((guide) => guide.name);
    const choices = [...new Set([...names, ...(value ? [String(value)] : [])])].map((name) => ({
      value: name,
      label: name,
    }));
    return <Choice id={id} {...{ field, value, change, choices }} />;
  }
  if (field.widget === "guides") return <GuidesField {...props} />;
  if (field.widget === "table") return <TableField {...props} />;
  if (["places", "corner-places"].includes(field.widget)) return <PlacesField {...props} />;
  if (field.widget === "proposals") return <ProposalsField {...props} />;
  return <TextField {...props} />;
}

interface ChoiceProps {
  id: string;
  field: Field;
  value: unknown;
  change: (value: unknown) => void;
  choices: { value: string; label: string }[];
}

function Choice({ id, field, value, change, choices }: ChoiceProps) {
  return (
    <NativeSelect.Root size="xs">
      <NativeSelect.Field
        id={id}
        height="26px"
        fontFamily="mono"
        bg="card"
        borderColor="rule"
        value={String(value ?? field.fallback ?? "")}
        onChange={(event) => change(event.target.value === "" ? undefined : event.target.value)}
      >
        {(field.optional || (value === undefined && field.fallback === undefined)) && (
          <option value="">
            {field.optional && field.widget !== "guide" ? "as it is" : "choose"}
          </option>
        )}
        {choices.map((choice) => (
          <option key={choice.value} value={choice.value}>
            {choice.label}
          </option>
        ))}
      </NativeSelect.Field>
      <NativeSelect.Indicator />
    </NativeSelect.Root>
  );
}
