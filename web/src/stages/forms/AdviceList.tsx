import { Box, Flex, Text } from "@chakra-ui/react";
import type { ReactNode } from "react";
import { useAdvice, useEffectOf } from "../../api/queries";
import { edgeId } from "../../model/selection";
import type { Advice, Effect, Step } from "../../model/types";
import { useBoardData } from "../../session/context";
import { useBoard } from "../../session/store";
import { Heading, Quiet } from "../../theme/parts";

interface Where {
  blocks: string[];
  corners: string[];
  edges: string[][];
}

interface Props {
  stage: "Blocks" | "Spacing";
  /** The effect of a suggestion in words. */
  effect: (before: Effect, after: Effect) => ReactNode;
}

/** What would make the blocks or the spacing better, each with its effect and one click to take it. */
export function AdviceList({ stage, effect }: Props) {
  const { project, recipe, model } = useBoardData();
  const here = useBoard((board) => board.here);
  const found = useAdvice(project, recipe.revision, here, stage, model.blocks.length > 0);
  const advice = found.data?.advice ?? [];
  return (
    <>
      {advice.length > 0 && <Heading>Advice</Heading>}
      {advice.map((one) => (
        <Suggestion key={one.text} one={one} effect={effect} />
      ))}
    </>
  );
}

const NOT_TRIED = { before: null, after: null, worse: false, error: "" };

/** A suggestion, once it has been tried: what would make it worse, or cannot be taken, is not given. */
function Suggestion({ one, effect }: { one: Advice; effect: Props["effect"] }) {
  const { project, steps, keepSteps } = useBoardData();
  const show = useShow();
  const against = steps.slice(0, one.at);
  const added = one.steps as Step[];
  const tried = useEffectOf(project, [...against, ...added], against, added.length > 0);
  const { before, after, worse, error } = tried.data ?? NOT_TRIED;
  if (added.length > 0 && (tried.isPending || worse || error)) return null;
  return (
    <Card colour="plum" text={one.text}>
      {before && after && <Text color="muted">{effect(before, after)}</Text>}
      <Flex gap="1.5" mt="1.5">
        {added.length > 0 && (
          <Quiet
            onClick={() =>
              keepSteps((now) => [...now.slice(0, one.at), ...added, ...now.slice(one.at)])
            }
          >
            Take it
          </Quiet>
        )}
        <Quiet onClick={() => show(one)}>Show me</Quiet>
      </Flex>
    </Card>
  );
}

/** Takes what is meant in hand, and moves the view to it. */
export function useShow() {
  const { model } = useBoardData();
  const set = useBoard((board) => board.set);
  return ({ blocks, corners, edges }: Where) => {
    const ids = new Set([
      ...corners,
      ...edges.flat(),
      ...model.blocks.filter((b) => blocks.includes(b.id)).flatMap((b) => b.corners),
    ]);
    const places = model.corners.filter((c) => ids.has(c.id)).map((c) => c.xyz);
    const all = model.corners.map((c) => c.xyz);
    if (!places.length) return;
    const span = (of: number[][]) =>
      Math.hypot(
        ...[0, 1, 2].map((n) => {
          const along = of.map((p) => p[n] ?? 0);
          return Math.max(...along) - Math.min(...along);
        }),
      );
    const middle = [0, 1, 2].map(
      (n) => places.reduce((s, p) => s + (p[n] ?? 0), 0) / places.length,
    );
    set({
      selection: blocks.length
        ? { kind: "block", ids: blocks }
        : corners.length
          ? { kind: "corner", ids: corners }
          : { kind: "edge", ids: edges.map((e) => edgeId(e)) },
      target: { at: middle, size: Math.max(1.6 * span(places), 0.2 * span(all)), turn: Date.now() },
    });
  };
}

interface CardProps {
  colour: "madder" | "plum";
  text: string;
  children: ReactNode;
}

/** One thing that is wrong, or one suggestion. */
export const Card = ({ colour, text, children }: CardProps) => (
  <Box
    bg={`${colour}Soft`}
    borderLeft="3px solid"
    borderColor={colour}
    borderRadius="sm"
    px="3"
    py="2"
    mb="2"
    fontSize="12px"
  >
    <Text color={colour} fontWeight="600">
      {text[0]?.toUpperCase()}
      {text.slice(1)}
    </Text>
    {children}
  </Box>
);
