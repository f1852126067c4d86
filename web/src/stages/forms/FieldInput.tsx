import { Box, chakra, Flex, Input, NativeSelect, Text } from "@chakra-ui/react";
import { useEffect, useId, useState } from "react";
import type { Field } from "../../model/schema";
import { GUIDING, SELECTING } from "../../model/schema";
import { valueText } from "../../model/sentences";
import { useBoardData } from "../../session/context";
import { useBoard } from "../../session/store";
import { FileField } from "./FileField";
import { GuidesField } from "./GuidesField";
import { PlacesField } from "./PlacesField";
import { ProposalsField } from "./ProposalsField";
import { TableField } from "./TableField";
import { readText, showText } from "./values";

interface Props {
  field: Field;
  value: unknown;
  /** Whether this field takes what is picked in the view. */
  active: boolean;
  change: (value: unknown) => void;
  take: () => void;
}

/** One field of a form, by its widget. */
export function FieldInput(props: Props) {
  const { field } = props;
  const id = useId();
  const asked = useBoard((board) => board.draft?.focus === field.name);
  useEffect(() => {
    if (asked) document.getElementById(id)?.focus();
  }, [asked, id]);
  if (field.widget === "file") return <FileField {...props} />;
  const wide =
    SELECTING.has(field.widget) ||
    field.choices.some((choice) => choice.length > 16) ||
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
        <Text as="label" flex="1" fontSize="12.5px" {...{ htmlFor: id }}>
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

function Control(props: Props & { id: string }) {
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

/** A typed value; what cannot be read stays as typed, and is marked. */
function TextField({ field, value, change, id }: Props & { id: string }) {
  const { model } = useBoardData();
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
  const unit = ["length", "lengths", "place"].includes(field.widget) ? model.unit : "";
  return (
    <Box>
      <Input
        id={id}
        size="xs"
        height="26px"
        fontFamily="mono"
        textAlign={["text", "patch-name"].includes(field.widget) ? "left" : "right"}
        bg="card"
        borderColor={bad ? "madder" : "rule"}
        aria-invalid={bad ? true : undefined}
        value={text}
        placeholder={placeholder(field, unit)}
        onChange={(event) => type(event.target.value)}
      />
      {bad && (
        <Text color="madder" fontSize="11px" role="alert">
          {bad}
        </Text>
      )}
    </Box>
  );
}

function placeholder(field: Field, unit: string): string {
  if (field.fallback !== undefined && field.fallback !== null && !Array.isArray(field.fallback))
    return String(field.fallback);
  if (field.widget === "place") return `x, y ${unit}`;
  if (field.widget === "lengths") return `2.15, 5.10 ${unit}`;
  if (field.widget === "place-or-guide") return "x, y, z  or  guide @ 0.25";
  if (field.widget === "direction") return "0, 0, 1";
  if (field.widget === "numbers") return "0.25, 0.5";
  return field.optional ? "left out" : unit;
}

const SIDES = ["x-", "x+", "y-", "y+", "z-", "z+"];
const WAYS: [string, number[]][] = SIDES.map((side) => [
  side,
  ["x", "y", "z"].map((axis) => (axis === side[0] ? (side[1] === "+" ? 1 : -1) : 0)),
]);
/** Fields that take sides of blocks, or edges, by rule. */
const BY_RULE: ReadonlySet<string> = new Set(["faces", "edges", "sides", "edges-or-sides"]);

/** A selector: taken from the view, or chosen by rule. */
function SelectionField({ field, value, active, change, take, id }: Props & { id: string }) {
  const { model } = useBoardData();
  const picking = useBoard((board) => board.draft?.field === field.name) && active;
  const labels = useLabels();
  const rules: { label: string; value: unknown }[] = [];
  if (field.widget === "faces") rules.push({ label: "all the rest", value: { rest: true } });
  if (BY_RULE.has(field.widget)) {
    const followed = new Set([
      ...model.edges.flatMap((edge) => edge.follows ?? []),
      ...model.sides.flatMap((side) => side.lies ?? []),
    ]);
    for (const guide of followed)
      rules.push({ label: `what follows ${guide}`, value: { on: guide } });
    for (const side of SIDES)
      if (side[0] !== "z" || model.dim === 3)
        rules.push({ label: `side ${side}`, value: { side } });
    for (const [way, looks] of WAYS)
      if (way[0] !== "z" || model.dim === 3)
        rules.push({ label: `what looks along ${way}`, value: { looks, within: 45 } });
    if (field.widget !== "faces")
      for (const patch of model.patches)
        rules.push({ label: `patch ${patch.name}`, value: { patch: patch.name } });
    for (const block of model.blocks.filter((b) => b.hollow)) {
      const around = { ids: [block.id] };
      rules.push({ label: `around ${block.label}`, value: { around } });
    }
    if (field.widget !== "faces")
      rules.push({ label: "around all blocks", value: { around: { all: true } } });
  }
  if (["blocks", "edges"].includes(field.widget))
    rules.push({ label: "all", value: { all: true } });
  return (
    <Flex gap="1">
      <chakra.button
        id={id}
        type="button"
        flex="1"
        minW="0"
        textAlign="left"
        fontFamily="mono"
        fontSize="12px"
        px="2"
        py="1"
        border="1px solid"
        borderColor={picking ? "ochre" : "rule"}
        bg={picking ? "ochreSoft" : "card"}
        borderRadius="4px"
        cursor="pointer"
        overflowWrap="anywhere"
        onClick={take}
        title="Click, then pick in the view; Shift adds"
      >
        {value
          ? valueText(value, labels, field)
          : picking
            ? "pick in the view …"
            : field.optional
              ? "left out"
              : "nothing yet"}
      </chakra.button>
      {rules.length > 0 && (
        <NativeSelect.Root size="xs" width="58px" flexShrink="0">
          <NativeSelect.Field
            aria-label={`${field.title} by rule`}
            value=""
            bg="card"
            borderColor="rule"
            onChange={(event) => {
              const rule = rules[Number(event.target.value)];
              if (rule) change(rule.value);
            }}
          >
            <option value="">rule</option>
            {rules.map((rule, n) => (
              <option key={rule.label} value={n}>
                {rule.label}
              </option>
            ))}
          </NativeSelect.Field>
          <NativeSelect.Indicator />
        </NativeSelect.Root>
      )}
      {Boolean(value) && field.optional && (
        <chakra.button
          type="button"
          aria-label={`Leave out ${field.title}`}
          cursor="pointer"
          onClick={() => change(undefined)}
        >
          ×
        </chakra.button>
      )}
    </Flex>
  );
}

/** Labels of all corners, blocks and edges as they are now. */
export function useLabels(): Record<string, string> {
  const { model } = useBoardData();
  const labels: Record<string, string> = {};
  for (const corner of model.corners) labels[corner.id] = corner.label;
  for (const block of model.blocks) labels[block.id] = block.label;
  for (const edge of model.edges) {
    const [a, b] = edge.id as [string, string];
    const named = (p: string, q: string) => `${edge.tier} (${labels[p] ?? p}→${labels[q] ?? q})`;
    labels[`${a}|${b}`] = named(a, b);
    labels[`${b}|${a}`] = named(b, a);
  }
  for (const side of model.sides) labels[side.id.join("|")] = side.label;
  return labels;
}
