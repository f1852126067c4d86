import { Box, Flex, Input, Text } from "@chakra-ui/react";
import { useState } from "react";
import { lengthText, short, whole } from "../../model/numbers";
import { useBoardData } from "../../session/context";
import { useBoard } from "../../session/store";
import { Fact, Quiet } from "../../theme/parts";

/** The guides in hand in numbers, with what can be done to them. */
export function GuideFacts() {
  const { project, model, steps, edit, begin } = useBoardData();
  const ids = useBoard((board) => board.selection.ids);
  const hidden = useBoard((board) => board.hidden);
  const set = useBoard((board) => board.set);
  const guides = model.guides.filter((guide) => ids.includes(guide.name));
  const guide = guides[0];
  if (!guide) return null;
  const many = guides.length > 1;
  const low = [0, 1, 2].map((n) => Math.min(...guides.map((g) => g.low[n] ?? 0)));
  const high = [0, 1, 2].map((n) => Math.max(...guides.map((g) => g.high[n] ?? 0)));
  const area = guides.reduce((sum, g) => sum + g.area, 0);
  const length = guides.reduce((sum, g) => sum + g.length, 0);
  const made = steps.findIndex((step) => step.id === guide.step);
  const verbs = many
    ? ["group", "move", "join", "loft", "sew", "leave-out"]
    : guide.dim === 2
      ? [
          ...(guide.kind === "triangulated" ? [] : ["border", "crossing"]),
          "section",
          "move",
          "group",
        ]
      : guide.dim === 1
        ? ["offset", "divide", "extrude-curve", "revolve-curve", "move", "group"]
        : ["move", "group"];
  const file = `/api/projects/${project}/guides`;
  const query = `?guides=${encodeURIComponent(guides.map((g) => g.name).join(","))}`;
  return (
    <Box>
      {many ? (
        <Text fontSize="15px" fontWeight="600" mb="1">
          {guides.length} guides
        </Text>
      ) : (
        <Rename key={guide.name} name={guide.name} />
      )}
      {!many && <Fact name="kind" value={`${guide.closed ? "closed " : ""}${guide.kind}`} />}
      {area > 0 && <Fact name="area" value={`${short(area, 6)} ${model.unit}²`} />}
      {length > 0 && <Fact name="length" value={`${short(length, 6)} ${model.unit}`} />}
      {["x", "y", "z"].map((axis, n) => (
        <Fact
          key={axis}
          name={axis}
          value={
            high[n] === low[n]
              ? `${short(low[n] ?? 0, 5)} ${model.unit}`
              : `${short(low[n] ?? 0, 5)} to ${short(high[n] ?? 0, 5)} ${model.unit}`
          }
        />
      ))}
      <Fact
        name="size"
        value={lengthText(Math.max(...low.map((v, n) => (high[n] ?? 0) - v)), model.unit)}
      />
      {!many && guide.points > 1 && (
        <Fact name={guide.dim === 2 ? "triangles" : "points"} value={whole(guide.points)} />
      )}
      {!many && guide.dim === 1 && guide.corners.length > 0 && (
        <Fact name="ends and sharp corners" value={guide.corners.length} />
      )}
      <Flex wrap="wrap" gap="1.5" mt="3">
        {verbs.map((kind) => (
          <Verb key={kind} kind={kind} act={() => begin(kind)} />
        ))}
        <Quiet onClick={() => set({ hidden: [...hidden, ...ids] })}>Hide</Quiet>
        {!many && made >= 0 && (
          <Quiet onClick={() => edit(guide.step)}>Made by step {made + 1}</Quiet>
        )}
        <Quiet asChild>
          <a href={`${file}.step${query}`} download>
            Write STEP
          </a>
        </Quiet>
        {area > 0 && (
          <Quiet asChild>
            <a href={`${file}.stl${query}`} download>
              Write STL
            </a>
          </Quiet>
        )}
      </Flex>
    </Box>
  );
}

function Verb({ kind, act }: { kind: string; act: () => void }) {
  const { kinds } = useBoardData();
  return <Quiet onClick={act}>{kinds.get(kind)?.verb}</Quiet>;
}

/** The name of a guide, to be changed in place: every later step that names it follows. */
function Rename({ name }: { name: string }) {
  const { rename, busy } = useBoardData();
  const [text, setText] = useState(name);
  const changed = text.trim() !== "" && text !== name;
  return (
    <Flex gap="1.5" mb="1.5">
      <Input
        size="sm"
        height="28px"
        fontWeight="600"
        bg="card"
        borderColor="rule"
        aria-label="Name of the guide"
        value={text}
        onChange={(event) => setText(event.target.value)}
        onKeyDown={(event) => {
          event.stopPropagation();
          if (event.key === "Enter" && changed) rename(name, text.trim());
          if (event.key === "Escape") setText(name);
        }}
      />
      {changed && (
        <Quiet disabled={busy} onClick={() => rename(name, text.trim())}>
          Rename
        </Quiet>
      )}
    </Flex>
  );
}
