import { Box, Flex, Text } from "@chakra-ui/react";
import { lengthText, short, whole } from "../model/numbers";
import { edgeId, pair, sameEdge } from "../model/selection";
import { GuideFacts } from "../stages/shape/GuideFacts";
import { Quiet } from "../theme/parts";
import { useBoardData } from "./context";
import { Fact } from "./InHand";
import { useBoard } from "./store";

/** What is selected, in numbers, with the verbs that fit it. */
export function SelectionFacts() {
  const { kind } = useBoard((board) => board.selection);
  if (kind === "guide") return <GuideFacts />;
  if (kind === "corner") return <CornerFacts />;
  if (kind === "block") return <BlockFacts />;
  if (kind === "edge") return <EdgeFacts />;
  return <Verbs kinds={["patch"]} />;
}

function Verbs({ kinds }: { kinds: string[] }) {
  const { kinds: all, begin } = useBoardData();
  return (
    <Flex wrap="wrap" gap="1.5" mt="3">
      {kinds.map((kind) => (
        <Quiet key={kind} onClick={() => begin(kind)}>
          {all.get(kind)?.verb}
        </Quiet>
      ))}
    </Flex>
  );
}

const Title = ({ children }: { children: React.ReactNode }) => (
  <Text fontSize="15px" fontWeight="600" mb="1">
    {children}
  </Text>
);

function CornerFacts() {
  const { model } = useBoardData();
  const ids = useBoard((board) => board.selection.ids);
  const corner = model.corners.find((c) => c.id === ids[0]);
  if (!corner) return null;
  const sign = { pinned: "pinned", free: "free", guide: `on ${corner.guide}` }[corner.sign];
  return (
    <Box>
      <Title>Corner {corner.label}</Title>
      <Fact
        name="x, y"
        value={`${short(corner.xyz[0] ?? 0, 6)}, ${short(corner.xyz[1] ?? 0, 6)} ${model.unit}`}
      />
      <Fact name="sign" value={sign} />
      {corner.fraction !== null && (
        <Fact name="fraction of the guide" value={short(corner.fraction, 5)} />
      )}
      <Verbs kinds={corner.guide ? ["slide", "pin"] : ["pin"]} />
    </Box>
  );
}

function BlockFacts() {
  const { model } = useBoardData();
  const ids = useBoard((board) => board.selection.ids);
  const blocks = model.blocks.filter((block) => ids.includes(block.id));
  const cells = blocks.reduce(
    (sum, b) => sum + (b.hollow ? 0 : (b.cells[0] ?? 0) * (b.cells[1] ?? 0)),
    0,
  );
  const first = blocks[0];
  if (!first) return null;
  const hollow = blocks.filter((block) => block.hollow).length;
  return (
    <Box>
      <Title>{blocks.length > 1 ? `${blocks.length} blocks` : `Block ${first.label}`}</Title>
      {blocks.length === 1 && <Fact name="cells" value={first.cells.join(" × ")} />}
      <Fact name="cells in the plane" value={whole(cells)} />
      {hollow > 0 && <Fact name="hollow" value={hollow} />}
      <Verbs kinds={["ring", hollow ? "bring-back" : "hollow"]} />
    </Box>
  );
}

function EdgeFacts() {
  const { model } = useBoardData();
  const ids = useBoard((board) => board.selection.ids);
  const set = useBoard((board) => board.set);
  const stage = useBoard((board) => board.stage);
  const edges = model.edges.filter((edge) => ids.some((id) => sameEdge(id, edgeId(edge.id))));
  const first = edges[0];
  if (!first) return null;
  const tier = model.tiers.find((t) => t.label === first.tier);
  const sizes = first.nodes.slice(1).map((s, n) => (s - (first.nodes[n] ?? 0)) * first.length);
  const patch = model.patches.find((p) => p.edges.some((e) => edgeId(e) === edgeId(first.id)));
  return (
    <Box>
      <Title>{edges.length > 1 ? `${edges.length} edges` : `Edge ${first.label}`}</Title>
      <Fact name="tier" value={`${first.tier}, ${tier?.edges.length ?? 0} edges`} />
      <Fact name="length" value={lengthText(first.length, model.unit)} />
      <Fact name="follows" value={first.follows ?? "no guide, straight"} />
      {sizes.length > 0 && (
        <>
          <Fact name="cells" value={`${sizes.length}, ${first.law}`} />
          <Fact
            name="first, last cell"
            value={`${lengthText(sizes[0] as number, model.unit)}, ${lengthText(sizes.at(-1) as number, model.unit)}`}
          />
        </>
      )}
      {first.state === "outer" && <Fact name="patch" value={patch?.name ?? "unnamed"} />}
      <Flex wrap="wrap" gap="1.5" mt="2">
        <Quiet
          onClick={() =>
            set({ selection: { kind: "edge", ids: ids.map((id) => pair(id).reverse().join("|")) } })
          }
          title="The first cell is at the edge's first corner"
        >
          Start at the other end
        </Quiet>
      </Flex>
      <Verbs
        kinds={
          stage === "Spacing"
            ? ["space", "count", "turn", "copy"]
            : stage === "Hand-off"
              ? ["patch"]
              : ["cut", "follow", "space"]
        }
      />
    </Box>
  );
}
