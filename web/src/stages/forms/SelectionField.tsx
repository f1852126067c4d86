import { Box, chakra, Flex, NativeSelect, Text } from "@chakra-ui/react";
import { whole } from "../../model/numbers";
import type { Field, Widget } from "../../model/schema";
import { idOf } from "../../model/selection";
import { valueText } from "../../model/sentences";
import type { Model } from "../../model/types";
import { useBoardData } from "../../session/context";
import { useBoard } from "../../session/store";
import { apart, changed, type Joint, joined, type Rule } from "./rules";
import { TextField } from "./TextField";
import { type FieldProps, unitBehind } from "./values";

type Props = FieldProps & { id: string };

interface Choice {
  label: string;
  value: Rule;
}

const SIDES = ["x-", "x+", "y-", "y+", "z-", "z+"];
const WAYS: [string, number[]][] = SIDES.map((side) => [
  side,
  ["x", "y", "z"].map((axis) => (axis === side[0] ? (side[1] === "+" ? 1 : -1) : 0)),
]);
/** Fields that take sides of blocks, edges, or corners of what is found, by rule. */
const BY_RULE: ReadonlySet<Widget> = new Set([
  "corners",
  "faces",
  "edges",
  "sides",
  "edges-or-sides",
]);
/** Fields whose rules can be narrowed: to what another finds too, or to what it does not find. */
const NARROWED: ReadonlySet<Widget> = new Set(["faces", "sides", "edges-or-sides"]);
const JOINTS: Record<Joint, string> = { any: "and", every: "only", but: "but not" };
const WITHIN = detail("Within", "number", "°");
const ENDS = [detail("From", "place"), detail("To", "place")];
const PLANE = [
  { ...detail("Through", "place"), name: "plane" },
  { ...detail("Normal", "direction"), name: "normal" },
];
const BALL = [
  { ...detail("Centre", "place"), name: "ball" },
  { ...detail("Radius", "length"), name: "radius" },
];

/** A selector: taken from the view, or put together of rules. */
export function SelectionField({ field, value, active, change, take, id }: Props) {
  const { model, preview } = useBoardData();
  const picking = useBoard((board) => board.draft?.field === field.name) && active;
  const found = preview?.found.find((one) => one.field === field.name);
  const labels = useLabels();
  const rules = rulesFor(field.widget, model);
  const joins = Boolean(value) && BY_RULE.has(field.widget) && !("rest" in (value as Rule));
  const parts = apart(value);
  const count = parts.any.length + parts.every.length + parts.but.length;
  const joints: Joint[] = NARROWED.has(field.widget) ? ["any", "every", "but"] : ["any"];
  return (
    <Box>
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
            ? count > 1
              ? `${count} rules together`
              : valueText(value, labels, field)
            : picking
              ? "pick in the view …"
              : field.optional
                ? "left out"
                : "nothing yet"}
        </chakra.button>
        {rules.length > 0 && (
          <Menu
            label={`${field.title} by rule`}
            first="rule"
            width="58px"
            groups={[{ choices: rules, choose: change }]}
          />
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
      {Boolean(value) && found && (
        <Text fontSize="11.5px" color="muted" role="status" aria-label={`${field.title}: found`}>
          finds {many(found.ids.length, found.what)}
        </Text>
      )}
      {joins && <Parts {...{ value, change, labels }} />}
      {joins && (
        <Menu
          label={`${field.title}: one rule more`}
          first="and … only … but not …"
          width="100%"
          groups={joints.map((joint) => ({
            name: JOINTS[joint],
            choices: rules.filter((rule) => !("rest" in rule.value)),
            choose: (rule) => change(joined(value, joint, rule)),
          }))}
        />
      )}
    </Box>
  );
}

interface Group {
  name?: string;
  choices: Choice[];
  choose: (rule: Rule) => void;
}

/** Rules to choose from, in groups. */
function Menu(props: { label: string; first: string; width: string; groups: Group[] }) {
  const options = (group: Group, g: number) =>
    group.choices.map((choice, n) => (
      <option key={choice.label} value={`${g} ${n}`}>
        {group.name ? `${group.name} ${choice.label}` : choice.label}
      </option>
    ));
  return (
    <NativeSelect.Root size="xs" width={props.width} flexShrink="0">
      <NativeSelect.Field
        aria-label={props.label}
        height="26px"
        value=""
        bg="card"
        borderColor="rule"
        onChange={(event) => {
          const [g = 0, n = 0] = event.target.value.split(" ").map(Number);
          const rule = props.groups[g]?.choices[n];
          if (rule) props.groups[g]?.choose(rule.value);
        }}
      >
        <option value="">{props.first}</option>
        {props.groups.map((group, g) =>
          group.name ? (
            <optgroup key={group.name} label={`${group.name} …`}>
              {options(group, g)}
            </optgroup>
          ) : (
            options(group, g)
          ),
        )}
      </NativeSelect.Field>
      <NativeSelect.Indicator />
    </NativeSelect.Root>
  );
}

interface PartsProps {
  value: unknown;
  change: (value: unknown) => void;
  labels: Record<string, string>;
}

/** The rules that a selector is put together of: each can be taken out, and what it measures by is set. */
function Parts({ value, change, labels }: PartsProps) {
  const rules = apart(value);
  const all = (["any", "every", "but"] as Joint[]).flatMap((joint) =>
    rules[joint].map((rule, at) => ({ joint, rule, at })),
  );
  return (
    <>
      {all.map(({ joint, rule, at }) => (
        <Box key={`${joint} ${at}`} pl="2" my="1" borderLeft="2px solid" borderColor="rule">
          {all.length > 1 && (
            <Flex gap="1" align="baseline" fontSize="12px">
              <Text flex="1" fontFamily="mono" overflowWrap="anywhere">
                {joint === "any" && at === 0 ? "" : `${JOINTS[joint]} `}
                {valueText(rule, labels)}
              </Text>
              <chakra.button
                type="button"
                aria-label={`Take out ${valueText(rule, labels)}`}
                cursor="pointer"
                onClick={() => change(changed(value, joint, at))}
              >
                ×
              </chakra.button>
            </Flex>
          )}
          <Details rule={rule} change={(next) => change(changed(value, joint, at, next))} />
        </Box>
      ))}
    </>
  );
}

/** What a rule measures by: the angle it looks within, the two corners of its box, its ball, or its plane. */
function Details({ rule, change }: { rule: Rule; change: (rule: Rule) => void }) {
  if ("looks" in rule)
    return (
      <Detail
        field={WITHIN}
        value={rule.within ?? 45}
        change={(within) => within !== undefined && change({ ...rule, within })}
      />
    );
  const parts = "ball" in rule ? BALL : "plane" in rule ? PLANE : null;
  if (parts)
    return (
      <>
        {parts.map((part) => (
          <Detail
            key={part.name}
            field={part}
            value={rule[part.name]}
            change={(value) => value !== undefined && change({ ...rule, [part.name]: value })}
          />
        ))}
      </>
    );
  if (!("inside" in rule)) return null;
  const inside = rule.inside as unknown[];
  return (
    <>
      {ENDS.map((end, n) => (
        <Detail
          key={end.name}
          field={end}
          value={inside[n]}
          change={(place) =>
            place !== undefined &&
            change({ ...rule, inside: inside.map((one, m) => (m === n ? place : one)) })
          }
        />
      ))}
    </>
  );
}

function Detail(props: { field: Field; value: unknown; change: (value: unknown) => void }) {
  const { model } = useBoardData();
  return (
    <Flex gap="2" align="center" my="0.5">
      <Text flex="1" fontSize="12px" color="muted" {...unitBehind(props.field, model.unit)}>
        {props.field.title}
        {props.field.unit && ` (${props.field.unit})`}
      </Text>
      <Box width="124px" flexShrink="0">
        <TextField {...props} />
      </Box>
    </Flex>
  );
}

/** A field of a rule, which is none of the step's own. */
function detail(title: string, widget: Widget, unit = ""): Field {
  const plain = { help: "", of: "", choices: [], fallback: undefined, when: {} };
  return { ...plain, name: title, title, widget, unit, optional: false, required: true };
}

/** The rules that a field may take, as the model stands. */
function rulesFor(widget: Widget, model: Model): Choice[] {
  const rules: Choice[] = [];
  if (widget === "faces") rules.push({ label: "all the rest", value: { rest: true } });
  if (BY_RULE.has(widget)) {
    const followed = new Set([
      ...model.edges.flatMap((edge) => edge.follows ?? []),
      ...model.sides.flatMap((side) => side.lies ?? []),
    ]);
    for (const guide of followed)
      rules.push({ label: `what follows ${guide}`, value: { on: guide } });
    for (const group of model.groups ?? [])
      if (group.members.some((member) => followed.has(member)))
        rules.push({ label: `what follows ${group.name}`, value: { on: group.name } });
    const sides = SIDES.filter((side) => side[0] !== "z" || model.dim === 3);
    for (const side of sides) rules.push({ label: `side ${side}`, value: { side } });
    for (const [way, looks] of WAYS)
      if (sides.includes(way))
        rules.push({ label: `what looks along ${way}`, value: { looks, within: 45 } });
    if (model.corners.length)
      rules.push(
        { label: "what is in a box", value: { inside: boxOf(model) } },
        { label: "what is in a ball", value: ballOf(model) },
        { label: "what is in a plane", value: planeOf(model) },
      );
    for (const patch of model.patches)
      rules.push({ label: `patch ${patch.name}`, value: { patch: patch.name } });
    for (const block of model.blocks.filter((b) => b.hollow)) {
      const around = { ids: [block.id] };
      rules.push({ label: `around ${block.label}`, value: { around } });
    }
    rules.push({ label: "around all blocks", value: { around: { all: true } } });
  }
  if (["blocks", "corners", "edges"].includes(widget))
    rules.push({ label: "all", value: { all: true } });
  if (widget === "blocks" && model.blocks.some((block) => block.hollow)) {
    rules.push({ label: "all, hollow too", value: { all: "hollow too" } });
    rules.push({ label: "all hollow blocks", value: { hollow: true } });
  }
  return rules;
}

const many = (count: number, nouns: string): string =>
  `${whole(count)} ${count === 1 ? nouns.replace(/s$/, "") : nouns}`;

/** The box around all corners, to begin with. */
function boxOf(model: Model): number[][] {
  const at = (axis: number) => model.corners.map((corner) => corner.xyz[axis] ?? 0);
  const axes = model.dim === 3 ? [0, 1, 2] : [0, 1];
  return [axes.map((axis) => Math.min(...at(axis))), axes.map((axis) => Math.max(...at(axis)))];
}

/** The ball around that box. */
function ballOf(model: Model) {
  const [low = [], high = []] = boxOf(model);
  const across = low.map((value, axis) => (high[axis] ?? 0) - value);
  return {
    ball: low.map((value, axis) => value + 0.5 * (across[axis] ?? 0)),
    radius: Number((0.501 * Math.hypot(...across)).toPrecision(3)),
  };
}

/** The plane through the low end of the extent that cuts across x. */
function planeOf(model: Model) {
  const [low = []] = boxOf(model);
  return { plane: low, normal: [1, 0, 0] };
}

/** Labels of all corners, blocks and edges as they are now. */
function useLabels(): Record<string, string> {
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
  for (const side of model.sides) labels[idOf(side.id)] = side.label;
  return labels;
}
