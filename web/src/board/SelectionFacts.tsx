import { Box, Flex, Text } from "@chakra-ui/react";
import { lengthText, short, whole } from "../model/numbers";
import { edgeId, idOf, pair, sameEdge, sideId } from "../model/selection";
import { useBoardData } from "../session/context";
import { useBoard } from "../session/store";
import { GuideFacts } from "../stages/shape/GuideFacts";
import { Fact, Quiet } from "../theme/parts";

/** What is selected, in numbers, with the verbs that fit it. */
export function SelectionFacts() {
  const { kind } = useBoard((board) => board.selection);
  if (kind === "guide") return <GuideFacts />;
  if (kind === "corner") return <CornerFacts />;
  if (kind === "block") return <BlockFacts />;
  if (kind === "edge") return <EdgeFacts />;
  return <SideFacts />;
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
        name={model.dim === 2 ? "x, y" : "x, y, z"}
        value={`${corner.xyz
          .slice(0, model.dim)
          .map((v) => short(v, 6))
          .join(", ")} ${model.unit}`}
      />
      <Fact name="sign" value={sign} />
      {corner.fraction !== null && (
        <Fact name="fraction of the guide" value={short(corner.fraction, 5)} />
      )}
      <Verbs kinds={corner.guide ? ["slide", "pin"] : ["pin"]} />
    </Box>
  );
}

function SideFacts() {
  const { model } = useBoardData();
  const ids = useBoard((board) => board.selection.ids);
  const stage = useBoard((board) => board.stage);
  const sides = model.sides.filter((side) => ids.includes(idOf(side.id)));
  const first = sides[0];
  if (!first) return null;
  return (
    <Box>
      <Title>{sides.length > 1 ? `${sides.length} sides` : `Side ${first.label}`}</Title>
      <Fact name="lies on" value={first.lies ?? "no guide"} />
      {first.state === "outer" && <Fact name="patch" value={first.patch ?? "unnamed"} />}
      <Verbs kinds={stage === "Blocks" ? ["follow", "grow", "twin", "refine"] : ["patch"]} />
    </Box>
  );
}

/** What lies beyond each side of a block. */
function Neighbours({ id }: { id: string }) {
  const { model } = useBoardData();
  const block = model.blocks.find((one) => one.id === id);
  if (!block) return null;
  const labels = new Map(model.blocks.map((one) => [one.id, one.label]));
  const count = block.corners.length;
  return Array.from({ length: Math.log2(count) }, (_, axis) => axis)
    .flatMap((axis) => [0, 1].map((end) => ({ axis, end })))
    .map(({ axis, end }) => {
      const own = block.corners.filter((_, n) => ((n >> axis) & 1) === end);
      const key = sideId(own);
      const beyond = model.blocks.find(
        (other) => other.id !== id && own.every((corner) => other.corners.includes(corner)),
      );
      const patch = model.patches.find((p) => p.sides.some((s) => sideId(s) === key));
      const name = `${"ijk"[axis]}${end ? "+" : "−"}`;
      const value = beyond ? labels.get(beyond.id) : (patch?.name ?? "boundary");
      return <Fact key={name} name={name} value={value} />;
    });
}

function BlockFacts() {
  const { model } = useBoardData();
  const ids = useBoard((board) => board.selection.ids);
  const blocks = model.blocks.filter((block) => ids.includes(block.id));
  const cells = blocks.reduce(
    (sum, b) => sum + (b.hollow ? 0 : b.cells.reduce((all, n) => all * n, 1)),
    0,
  );
  const first = blocks[0];
  if (!first) return null;
  const hollow = blocks.filter((block) => block.hollow).length;
  return (
    <Box>
      <Title>{blocks.length > 1 ? `${blocks.length} blocks` : `Block ${first.label}`}</Title>
      {blocks.length === 1 && <Fact name="cells" value={first.cells.join(" × ")} />}
      <Fact name="cells in all" value={whole(cells)} />
      {blocks.length === 1 && model.regions.length > 1 && (
        <Fact name="region" value={first.region} />
      )}
      {hollow > 0 && <Fact name="hollow" value={hollow} />}
      {blocks.length === 1 && <Neighbours id={first.id} />}
      <Verbs
        kinds={[
          "ring",
          "butterfly",
          hollow ? "bring-back" : "hollow",
          ...(blocks.length === 2 ? ["merge"] : []),
          "region",
          "place",
        ]}
      />
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
  const patch = model.patches.find((p) => p.sides.some((s) => sideId(s) === sideId(first.id)));
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
            set({ selection: { kind: "edge", ids: ids.map((id) => idOf(pair(id).reverse())) } })
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
              : ["cut", "follow", "bend", "space"]
        }
      />
    </Box>
  );
}
