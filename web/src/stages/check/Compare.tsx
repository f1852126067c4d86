import { Box, chakra, Flex, Input, NativeSelect, Text } from "@chakra-ui/react";
import { useState } from "react";
import { useRevisions, useShelf } from "../../api/comparison";
import { lengthText, short, whole } from "../../model/numbers";
import type { Comparison, Other } from "../../model/types";
import { useBoardData } from "../../session/context";
import { type Against, useBoard } from "../../session/store";
import { Empty, Heading, Quiet, Wrong } from "../../theme/parts";
import { useCompared } from "../../view/inside/useCompared";

const THE_SAME: Other = { project: null, revision: null, values: {}, smoothed: true };
type Kind = "nothing" | "filled" | "revision" | "values" | "project";
const WORDS: Record<Kind, string> = {
  nothing: "nothing",
  filled: "the grid as filled",
  revision: "an earlier revision",
  values: "other values of this recipe",
  project: "another project",
};
const SHOWN: { show: Against["show"]; word: string }[] = [
  { show: "beside", word: "beside" },
  { show: "instead", word: "in its place" },
  { show: "not", word: "not shown" },
];

/** The present state beside another one: its metrics, how far its nodes lie off, and how it is shown. */
export function Compare() {
  const { model } = useBoardData();
  const { against, set } = useBoard((board) => board);
  const [kind, setKind] = useState<Kind>(kindOf(against));
  const { compared, problem } = useCompared();
  const take = (other: Other | null) =>
    set({ against: other && { other, show: against?.show ?? "beside" } });
  const choose = (to: Kind) => {
    setKind(to);
    take(to === "filled" ? { ...THE_SAME, smoothed: false } : null);
  };
  const kinds = (Object.keys(WORDS) as Kind[]).filter((one) => one !== "filled" || model.smoothing);
  return (
    <Box mb="4" role="group" aria-label="Compare">
      <Heading right={compared ? verdictOf(compared) : undefined}>Compare</Heading>
      <Flex align="center" gap="2" mb="1">
        <Text fontSize="12px">with</Text>
        <Choice
          name="Compare with"
          value={kind}
          options={kinds.map((one) => ({ value: one, word: WORDS[one] }))}
          set={(to) => choose(to as Kind)}
        />
      </Flex>
      {kind === "revision" && <Revisions against={against} take={take} />}
      {kind === "project" && <Projects against={against} take={take} />}
      {kind === "values" && <Values take={take} />}
      {against && kind !== "filled" && model.smoothing > 0 && (
        <chakra.label fontSize="11.5px" display="flex" gap="1.5" mb="1">
          <input
            type="checkbox"
            checked={!against.other.smoothed}
            onChange={(event) => take({ ...against.other, smoothed: !event.target.checked })}
          />
          the other as filled
        </chakra.label>
      )}
      {against && (
        <Flex gap="1" mb="1.5" role="group" aria-label="How the other is shown">
          {SHOWN.map(({ show, word }) => (
            <Quiet
              key={show}
              size="2xs"
              aria-pressed={against.show === show}
              bg={against.show === show ? "ochreSoft" : "card"}
              onClick={() => set({ against: { ...against, show }, layer: "Quality" })}
            >
              {word}
            </Quiet>
          ))}
        </Flex>
      )}
      {problem && <Wrong>{problem.message}</Wrong>}
      {compared && <Pairs found={compared} unit={model.unit} />}
    </Box>
  );
}

function kindOf(against: Against | null): Kind {
  if (!against) return "nothing";
  const { project, revision, values } = against.other;
  if (project) return "project";
  if (revision) return "revision";
  return Object.keys(values ?? {}).length ? "values" : "filled";
}

/** How many metrics are better and worse now. */
function verdictOf({ pairs }: Comparison): string {
  const count = (verdict: string) => pairs.filter((pair) => pair.verdict === verdict).length;
  return `${count("better")} better, ${count("worse")} worse now`;
}

interface ChoiceProps {
  name: string;
  value: string;
  options: { value: string; word: string }[];
  set: (value: string) => void;
}

const Choice = ({ name, value, options, set }: ChoiceProps) => (
  <NativeSelect.Root size="xs" flex="1" minW="0">
    <NativeSelect.Field
      aria-label={name}
      bg="card"
      borderColor="rule"
      value={value}
      onChange={(event) => set(event.target.value)}
    >
      {options.map((one) => (
        <option key={one.value} value={one.value}>
          {one.word}
        </option>
      ))}
    </NativeSelect.Field>
    <NativeSelect.Indicator />
  </NativeSelect.Root>
);

interface TakeProps {
  against: Against | null;
  take: (other: Other | null) => void;
}

function Revisions({ against, take }: TakeProps) {
  const { project, recipe } = useBoardData();
  const found = useRevisions(project, recipe.revision, true);
  const before = (found.data?.revisions ?? []).filter((one) => one.number !== recipe.revision);
  if (found.data && !before.length) return <Empty>There is no other revision yet.</Empty>;
  const time = (seconds: number) =>
    new Date(seconds * 1000).toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit" });
  return (
    <Flex mb="1">
      <Choice
        name="Revision"
        value={String(against?.other.revision ?? "")}
        options={[
          { value: "", word: "choose a revision" },
          ...before.map((one) => ({
            value: String(one.number),
            word: `${one.number} · ${time(one.created)} · ${one.what}`,
          })),
        ]}
        set={(to) => take(to === "" ? null : { ...THE_SAME, revision: Number(to) })}
      />
    </Flex>
  );
}

function Projects({ against, take }: TakeProps) {
  const { project } = useBoardData();
  const found = useShelf(true);
  const others = (found.data?.projects ?? []).filter((one) => one.id !== project);
  if (found.data && !others.length) return <Empty>There is no other project on the shelf.</Empty>;
  return (
    <Flex mb="1">
      <Choice
        name="Project"
        value={String(against?.other.project ?? "")}
        options={[
          { value: "", word: "choose a project" },
          ...others.map((one) => ({ value: String(one.id), word: one.name })),
        ]}
        set={(to) => take(to === "" ? null : { ...THE_SAME, project: Number(to) })}
      />
    </Flex>
  );
}

/** Values as they are typed: “name = value”, with commas between them. */
function Values({ take }: { take: (other: Other | null) => void }) {
  const { recipe } = useBoardData();
  const [typed, setTyped] = useState("");
  const [bad, setBad] = useState(false);
  const names = Object.keys(recipe.parameters);
  const keep = () => {
    const pairs = typed.split(",").map((one) => one.split("=").map((part) => part.trim()));
    const good = typed.trim() !== "" && pairs.every((pair) => pair.length === 2 && pair[0]);
    setBad(!good && typed.trim() !== "");
    take(good ? { ...THE_SAME, values: Object.fromEntries(pairs) } : null);
  };
  return (
    <Box mb="1">
      <Input
        size="xs"
        fontFamily="mono"
        bg="card"
        borderColor={bad ? "madder" : "rule"}
        aria-label="Other values"
        placeholder={names.length ? `${names[0]} = …` : "step.field = value, …"}
        value={typed}
        onChange={(event) => setTyped(event.target.value)}
        onBlur={keep}
        onKeyDown={(event) => event.key === "Enter" && keep()}
      />
      <Text fontSize="11px" color={bad ? "madder" : "muted"}>
        {bad
          ? "Write name = value, with commas between them."
          : names.length
            ? `parameters: ${names.join(", ")}; or step.field`
            : "a step's id, a dot, and a field: n3.cells = 40"}
      </Text>
    </Box>
  );
}

const SIGN = { better: "▲", worse: "▼", same: "=", "not comparable": "" } as const;

function Pairs({ found, unit }: { found: Comparison; unit: string }) {
  const { metric, set } = useBoard((board) => board);
  const { ours, theirs, apart } = found;
  const passed = (one: { passed: boolean }) => (one.passed ? "passed" : "not passed");
  return (
    <Box fontSize="12px">
      <Line name="" now="now" then="other" title={`other: ${theirs.name}`} head />
      <Line name="cells" now={whole(ours.cells)} then={whole(theirs.cells)} />
      <Line name="folded" now={whole(ours.folded)} then={whole(theirs.folded)} />
      <Line name="gate" now={passed(ours)} then={passed(theirs)} />
      {found.pairs.map((pair) => (
        <chakra.button
          key={pair.key}
          type="button"
          width="100%"
          cursor="pointer"
          borderRadius="4px"
          bg={metric === pair.key ? "ochreSoft" : undefined}
          _hover={{ bg: "ochreSoft" }}
          onClick={() => set({ metric: pair.key, layer: "Quality", shown: [] })}
        >
          <Line
            name={pair.label}
            now={pair.ours ? `${short(pair.ours.worst)}${pair.unit}` : "–"}
            then={pair.theirs ? `${short(pair.theirs.worst)}${pair.unit}` : "–"}
            sign={SIGN[pair.verdict]}
            bad={pair.verdict === "worse"}
            title={`${pair.label}: the worst is ${pair.verdict} now${
              pair.ours && pair.theirs
                ? `; mean ${short(pair.ours.mean)}${pair.unit} against ${short(pair.theirs.mean)}${pair.unit}`
                : ""
            }`}
          />
        </chakra.button>
      ))}
      {apart ? (
        <chakra.button
          type="button"
          cursor="pointer"
          width="100%"
          _hover={{ bg: "ochreSoft" }}
          onClick={() =>
            set({ target: { at: apart.at, size: 12 * apart.largest || 1, turn: Date.now() } })
          }
        >
          <Line
            name="nodes apart"
            now={`mean ${lengthText(apart.mean, unit)}`}
            then={lengthText(apart.largest, unit)}
            title="How far the nodes lie from those of the other, on average and at most. Click to go where they do most."
          />
        </chakra.button>
      ) : (
        <Empty>The counts differ: nodes cannot be told apart one by one.</Empty>
      )}
    </Box>
  );
}

interface LineProps {
  name: string;
  now: string;
  then: string;
  sign?: string;
  bad?: boolean;
  head?: boolean;
  title?: string;
}

const Line = ({ name, now, then, sign = "", bad, head, title }: LineProps) => (
  <Flex gap="1.5" px="2" py="0.5" align="baseline" title={title} color={head ? "muted" : "ink"}>
    <Text flex="1" textAlign="left" truncate>
      {name}
    </Text>
    <Text fontFamily={head ? undefined : "mono"} fontSize="11.5px" whiteSpace="nowrap">
      {now}
    </Text>
    <Text
      fontFamily={head ? undefined : "mono"}
      fontSize="11.5px"
      width="64px"
      textAlign="right"
      whiteSpace="nowrap"
      color="muted"
    >
      {then}
    </Text>
    <Text width="10px" fontSize="10px" color={bad ? "madder" : "teal"}>
      {sign}
    </Text>
  </Flex>
);
