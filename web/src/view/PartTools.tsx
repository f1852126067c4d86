import { chakra, Flex, Text } from "@chakra-ui/react";
import { cornersOf, edgeId, idOf, type Selection, sameEdge } from "../model/selection";
import type { Model, Tier } from "../model/types";
import { useBoardData } from "../session/context";
import { useBoard } from "../session/store";
import { Small } from "./layers/Small";
import { Slide } from "./Slide";

/** Which part of the grid is shown: its outside, the blocks in hand, or one layer of a tier. */
export function PartTools() {
  const { model } = useBoardData();
  const { part, sections, selection, set } = useBoard((board) => board);
  const conditions = useBoard((board) => board.choice.conditions.length);
  const blocks = blocksInHand(model, selection);
  const own = model.tiers.find((tier) => has(tier, selection)) ?? model.tiers[0];
  const tier = part.kind === "layer" && model.tiers.find((t) => t.label === part.tier);
  return (
    <>
      <Flex gap="1" role="group" aria-label="Part of the grid that is shown">
        <Small
          type="button"
          aria-pressed={part.kind === "all"}
          bg={part.kind === "all" ? "ochreSoft" : "card"}
          onClick={() => set({ part: { kind: "all" } })}
        >
          Outside
        </Small>
        <Small
          type="button"
          aria-pressed={part.kind === "blocks"}
          bg={part.kind === "blocks" ? "ochreSoft" : "card"}
          disabled={!blocks.length}
          opacity={blocks.length || part.kind === "blocks" ? 1 : 0.5}
          title={
            blocks.length
              ? "Show only the blocks in hand, or those of the sides or edges in hand"
              : "Take blocks, sides or edges in hand first"
          }
          onClick={() => set({ part: { kind: "blocks", ids: blocks } })}
        >
          Blocks in hand
        </Small>
        <Small
          type="button"
          aria-pressed={part.kind === "layer"}
          bg={part.kind === "layer" ? "ochreSoft" : "card"}
          title="Show one layer of nodes across the tier in hand"
          onClick={() => own && set({ part: { kind: "layer", tier: own.label, at: 0.5 } })}
        >
          Layer
        </Small>
        <Small
          type="button"
          aria-pressed={part.kind === "sections"}
          bg={part.kind === "sections" ? "ochreSoft" : "card"}
          disabled={!sections.length}
          opacity={sections.length ? 1 : 0.5}
          title={sections.length ? "Show the sections" : "Add a section in Check first"}
          onClick={() => set({ part: { kind: "sections" } })}
        >
          Sections
        </Small>
        {conditions > 0 && (
          <Small
            type="button"
            aria-pressed={part.kind === "chosen"}
            bg={part.kind === "chosen" ? "ochreSoft" : "card"}
            title="Show only the cells that were asked for in Check"
            onClick={() => set({ part: { kind: "chosen" } })}
          >
            Only the bad
          </Small>
        )}
      </Flex>
      {part.kind === "layer" && tier && (
        <Flex
          align="center"
          gap="2"
          bg="card"
          border="1px solid"
          borderColor="rule"
          borderRadius="4px"
          px="2"
          width="250px"
          height="26px"
        >
          <chakra.select
            aria-label="Tier of the layer"
            bg="transparent"
            fontSize="11.5px"
            value={part.tier}
            onChange={(event) => set({ part: { ...part, tier: event.target.value } })}
          >
            {model.tiers.map((t) => (
              <option key={t.label} value={t.label}>
                {t.name ? `${t.label} ${t.name}` : t.label}
              </option>
            ))}
          </chakra.select>
          <Slide
            labels={["Layer of nodes"]}
            value={[Math.round(part.at * tier.count)]}
            most={tier.count}
            step={1}
            set={([n = 0]) => set({ part: { ...part, at: n / tier.count } })}
          />
          <Text fontFamily="mono" fontSize="11px" whiteSpace="nowrap">
            {Math.round(part.at * tier.count)} of {tier.count}
          </Text>
        </Flex>
      )}
    </>
  );
}

const has = (tier: Tier, selection: Selection): boolean =>
  selection.kind === "edge" &&
  tier.edges.some((edge) => selection.ids.some((id) => sameEdge(id, edgeId(edge))));

/** The filled blocks that are in hand, or that have a side or an edge in hand. */
function blocksInHand(model: Model, { kind, ids }: Selection): string[] {
  const named = ids.map(cornersOf);
  const sides = new Set(kind === "side" ? ids : []);
  const beside = new Set(model.sides.filter((s) => sides.has(idOf(s.id))).flatMap((s) => s.blocks));
  return model.blocks
    .filter((block) => {
      if (block.hollow) return false;
      if (kind === "block") return ids.includes(block.id);
      if (kind === "side") return beside.has(block.id);
      return (
        kind === "edge" &&
        named.some((edge) => edge.every((corner) => block.corners.includes(corner)))
      );
    })
    .map((block) => block.id);
}
