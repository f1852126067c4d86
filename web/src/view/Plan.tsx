import { Box, Flex, NativeSelect, Text } from "@chakra-ui/react";
import { usePlan } from "../api/queries";
import { useBoardData } from "../session/context";
import { useBoard } from "../session/store";
import { takeIds } from "../session/taking";
import { usePalette } from "../theme/mode";
import { Empty, Heading } from "../theme/parts";

const SIZE = 268;
const MARGIN = 6;
/** What the plan takes from the view's width. */
export const PLAN_WIDTH = SIZE + 30;

/** The plan: the blocks laid out flat beside the view, so that rings read as rings; for picking in a crowd. */
export function Plan() {
  const { project, recipe, model, kinds } = useBoardData();
  const here = useBoard((board) => board.here);
  const tier = useBoard((board) => board.planTier);
  const selection = useBoard((board) => board.selection);
  const set = useBoard((board) => board.set);
  const palette = usePalette();
  const plan = usePlan(project, recipe.revision, here, tier, model.blocks.length > 0);
  const data = plan.data;
  const at = (n: number) => {
    const [x = 0, y = 0] = data?.xy[n] ?? [];
    const room = SIZE - 2 * MARGIN;
    return [MARGIN + room * x, MARGIN + room * (1 - y)] as const;
  };
  return (
    <Box
      position="absolute"
      left="3"
      top="12"
      width={`${SIZE + 18}px`}
      bg="card"
      border="1px solid"
      borderColor="rule"
      borderRadius="md"
      px="2"
      pt="1.5"
      pb="2"
      role="group"
      aria-label="Plan of the blocks"
    >
      <Flex align="baseline" justify="space-between">
        <Heading>Plan</Heading>
        {data && data.tiers.length > 0 && (
          <NativeSelect.Root size="xs" width="148px">
            <NativeSelect.Field
              aria-label="Sheet of the plan"
              bg="card"
              borderColor="rule"
              value={data.tier ?? ""}
              onChange={(event) => set({ planTier: event.target.value })}
            >
              {data.tiers.map((name) => (
                <option key={name} value={name}>
                  sheet across {name}
                </option>
              ))}
            </NativeSelect.Field>
            <NativeSelect.Indicator />
          </NativeSelect.Root>
        )}
      </Flex>
      {!data ? (
        <Empty>{plan.error ? plan.error.message : "…"}</Empty>
      ) : (
        <svg width={SIZE} height={SIZE} role="img" aria-label="Blocks laid out flat">
          <title>Blocks laid out flat</title>
          {data.blocks.map((block) => {
            const points = block.corners.map(at);
            const inHand = selection.kind === "block" && selection.ids.includes(block.id);
            const [x, y] = [0, 1].map((n) => points.reduce((s, p) => s + (p[n] ?? 0), 0) / 4);
            const size = Math.sqrt(areaOf(points));
            return (
              // biome-ignore lint/a11y/useSemanticElements: a polygon cannot be a button element
              <g
                key={`${block.id} ${block.corners.join(" ")}`}
                role="button"
                tabIndex={0}
                aria-label={`Block ${block.label}${block.hollow ? ", hollow" : ""}`}
                aria-pressed={inHand}
                style={{ cursor: "pointer" }}
                onClick={(event) => takeIds(kinds, "block", [block.id], event.shiftKey)}
                onKeyDown={(event) => {
                  if (event.key !== "Enter" && event.key !== " ") return;
                  event.preventDefault();
                  event.stopPropagation();
                  takeIds(kinds, "block", [block.id], event.shiftKey);
                }}
              >
                <polygon
                  points={points.map((p) => p.join(",")).join(" ")}
                  fill={inHand ? palette.ochreSoft : block.hollow ? palette.rule : palette.paper}
                  stroke={inHand ? palette.ochre : palette.ink}
                  strokeWidth={inHand ? 2.2 : 1}
                  strokeDasharray={block.hollow ? "3 3" : undefined}
                />
                {size > 17 && (
                  <text
                    x={x}
                    y={(y ?? 0) + 3.5}
                    textAnchor="middle"
                    fontSize="10"
                    fill={block.hollow ? palette.muted : palette.ink}
                    style={{ pointerEvents: "none" }}
                  >
                    {block.label}
                  </text>
                )}
              </g>
            );
          })}
        </svg>
      )}
      <Text fontSize="11px" color="muted">
        Click takes a block, Shift adds; dashed is hollow.
      </Text>
    </Box>
  );
}

const areaOf = (points: (readonly [number, number])[]): number =>
  Math.abs(
    points.reduce((sum, [x, y], n) => {
      const [p, q] = points[(n + 1) % points.length] ?? [0, 0];
      return sum + x * q - p * y;
    }, 0) / 2,
  );
