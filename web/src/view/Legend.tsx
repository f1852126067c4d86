import { Box, Flex, Text } from "@chakra-ui/react";
import { colourRange, type Range, shareOf } from "../model/colouring";
import { lengthText, short } from "../model/numbers";
import { useBoardData } from "../session/context";
import { useBoard } from "../session/store";
import { cividis, groupColour, tone } from "../theme/palette";
import { useCompared } from "./inside/useCompared";
import { useFlow } from "./inside/useFlow";
import { shadeRange } from "./layers/Nodes";

const STOPS = [0, 0.25, 0.5, 0.75, 1];
const css = (share: number) =>
  `rgb(${cividis(share)
    .map((v) => Math.round(255 * v))
    .join(",")})`;

/** What the signs and colours of the layer mean, and the name of what is under the cursor. */
export function Legend() {
  const hit = useBoard((board) => board.hit);
  const { model, quality } = useBoardData();
  const stage = useBoard((board) => board.stage);
  const layer = useBoard((board) => board.layer);
  const edgesBy = useBoard((board) => board.edgesBy);
  const against = useBoard((board) => board.against);
  const { compared } = useCompared();
  const flow = useFlow();
  const metric = quality?.metrics.find((m) => m.key === quality.metric);
  return (
    <Flex
      position="absolute"
      bottom="2.5"
      left="3"
      right="3"
      justify="space-between"
      align="flex-end"
      gap="4"
      pointerEvents="none"
      fontSize="11px"
      color="muted"
    >
      <Flex gap="3.5" align="center" wrap="wrap" bg="paper" borderRadius="sm" px="1">
        {flow ? (
          <FlowScale name={flow.name} range={flow.range} />
        ) : layer === "Patches" ? (
          <>
            {model.patches.map((patch, n) => (
              <Sign key={patch.name} word={patch.name}>
                <Box width="10px" height="10px" borderRadius="2px" bg={tone(n)} />
              </Sign>
            ))}
            {model.unnamed_faces > 0 && (
              <Sign word="unnamed">
                <Box width="10px" height="10px" borderRadius="2px" bg="madder" />
              </Sign>
            )}
          </>
        ) : layer === "Quality" && metric ? (
          <Flex align="center" gap="2">
            <Text>
              {metric.label}: worst {short(metric.worst)}
              {metric.unit}
            </Text>
            <Box
              position="relative"
              width="150px"
              height="9px"
              background={`linear-gradient(to right, ${STOPS.map(css).join(",")})`}
            >
              {metric.limit !== null && (
                <Box
                  position="absolute"
                  left={`calc(${100 * shareOf(metric.limit, colourRange(metric))}% - 1px)`}
                  top="-3px"
                  width="2px"
                  height="15px"
                  bg="madder"
                  title="the gate"
                />
              )}
            </Box>
            <Text>
              {short(metric.best)}
              {metric.unit}
              {metric.limit !== null && " · red mark: gate"}
            </Text>
            {compared && against?.show === "beside" && (
              <Text color="ink">
                left: {compared.ours.name} · right: {compared.theirs.name}
              </Text>
            )}
            {compared && against?.show === "instead" && (
              <Text color="ink">shown: {compared.theirs.name}</Text>
            )}
          </Flex>
        ) : stage === "Spacing" && edgesBy !== "plain" ? (
          <EdgeShades by={edgesBy} />
        ) : stage === "Shape" ? (
          <>
            {[{ name: "guide", colour: "teal" }, ...model.groups].map((group) => (
              <Sign key={group.name} word={group.name}>
                <Box width="10px" height="10px" borderRadius="2px" bg={groupColour(group.colour)} />
              </Sign>
            ))}
            <Sign word="in hand">
              <Box width="10px" height="10px" borderRadius="2px" bg="ochre" />
            </Sign>
            <Text>right click: all under the cursor</Text>
          </>
        ) : (
          <>
            <Sign word="pinned">
              <Diamond filled />
            </Sign>
            <Sign word="on a guide">
              <Diamond />
            </Sign>
            <Sign word="free corner">
              <Box
                width="9px"
                height="9px"
                borderRadius="full"
                border="1.5px solid"
                borderColor="ink"
              />
            </Sign>
            <Sign word="outer edge">
              <Box width="18px" height="2.5px" bg="ink" />
            </Sign>
            <Sign word="inner">
              <Box width="18px" height="1px" bg="ink" />
            </Sign>
            <Sign word="follows a guide">
              <Box width="18px" height="5px" borderY="1.5px solid" borderColor="ink" bg="paper" />
            </Sign>
            <Sign word="in hand">
              <Box width="18px" height="3px" bg="ochre" />
            </Sign>
            {stage === "Spacing" && model.jumps.length > 0 && <JumpSign />}
          </>
        )}
      </Flex>
      {hit && (
        <Text
          bg="card"
          color="ink"
          border="1px solid"
          borderColor="rule"
          borderRadius="md"
          px="2"
          py="0.5"
          fontFamily="mono"
          whiteSpace="nowrap"
        >
          {hit.words}
        </Text>
      )}
    </Flex>
  );
}

/** The scale of the edges' colours: fine or steady is light. */
function EdgeShades({ by }: { by: "size" | "growth" }) {
  const { model } = useBoardData();
  const [low, high] = shadeRange(model.edges, by, model.growth_limit);
  const text = (v: number) => (by === "size" ? lengthText(v, model.unit) : short(v));
  return (
    <>
      <Flex align="center" gap="2">
        <Text>
          {by === "size" ? "cell size" : "growth"} {text(low)}
        </Text>
        <Box
          width="150px"
          height="9px"
          background={`linear-gradient(to left, ${STOPS.map(css).join(",")})`}
        />
        <Text>
          {text(high)}
          {by === "growth" && ` and more · limit ${short(model.growth_limit)}`}
        </Text>
      </Flex>
      {model.jumps.length > 0 && <JumpSign />}
    </>
  );
}

const JumpSign = () => {
  const { model } = useBoardData();
  return (
    <Sign word={`jumps over ${short(model.growth_limit)}: ${model.jumps.length}`}>
      <Box
        width="8px"
        height="8px"
        transform="rotate(45deg)"
        border="2px solid"
        borderColor="madder"
      />
    </Sign>
  );
};

const Sign = ({ children, word }: { children: React.ReactNode; word: string }) => (
  <Flex align="center" gap="1.5">
    {children}
    <Text>{word}</Text>
  </Flex>
);

const Diamond = ({ filled = false }: { filled?: boolean }) => (
  <Box
    width="8px"
    height="8px"
    transform="rotate(45deg)"
    border="1.5px solid"
    borderColor={filled ? "ink" : "teal"}
    bg={filled ? "ink" : "card"}
  />
);

/** The colours of a flow from its least to its most value, and what the lines are. */
function FlowScale({ name, range }: { name: string; range: Range }) {
  const { model } = useBoardData();
  // What is left of rounding is nothing.
  const told = (value: number) =>
    short(Math.abs(value) < 1e-5 * (range.best - range.worst) ? 0 : value);
  return (
    <Flex align="center" gap="2">
      <Text>
        {name}: {told(range.worst)}
      </Text>
      <Box
        width="150px"
        height="9px"
        background={`linear-gradient(to right, ${STOPS.map(css).join(",")})`}
      />
      <Text>
        {told(range.best)}
        {name === "speed" ? " times that at the inlets" : ` ${model.unit} × speed at the inlets`}
      </Text>
      <Sign word="equal potential">
        <Box width="18px" height="1.5px" bg="ink" />
      </Sign>
    </Flex>
  );
}
