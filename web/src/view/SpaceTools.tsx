import { Box, Flex, Text } from "@chakra-ui/react";
import { useBoardData } from "../session/context";
import { useBoard } from "../session/store";
import { DIRECTIONS } from "./extent";
import { Small } from "./layers/Small";
import { PartTools } from "./PartTools";
import { Slide } from "./Slide";

/** How the view looks into space: direction, lens, see-through, the box to clip to, and blocks apart. */
export function SpaceTools() {
  const from = useBoard((board) => board.from);
  const perspective = useBoard((board) => board.perspective);
  const seeThrough = useBoard((board) => board.seeThrough);
  const clip = useBoard((board) => board.clip);
  const layer = useBoard((board) => board.layer);
  const explode = useBoard((board) => board.explode);
  const { model } = useBoardData();
  const set = useBoard((board) => board.set);
  return (
    <Flex
      position="absolute"
      top="46px"
      right="3"
      direction="column"
      gap="1"
      align="flex-end"
      pointerEvents="none"
      css={{ "& > *": { pointerEvents: "auto" } }}
    >
      <Flex gap="1" role="group" aria-label="Look from">
        {DIRECTIONS.map((side) => (
          <Small
            key={side}
            type="button"
            aria-pressed={from === side}
            bg={from === side ? "ochreSoft" : "card"}
            title={`Look from ${side}`}
            fontFamily="mono"
            onClick={() => set({ from: side })}
          >
            {side}
          </Small>
        ))}
      </Flex>
      <Flex gap="1">
        <Toggle on={perspective} act={() => set({ perspective: !perspective })}>
          Perspective
        </Toggle>
        <Toggle on={seeThrough} act={() => set({ seeThrough: !seeThrough })}>
          See through
        </Toggle>
        <Toggle
          on={clip !== null}
          act={() =>
            set({
              clip: clip
                ? null
                : [
                    [0, 1],
                    [0, 1],
                    [0, 1],
                  ],
            })
          }
        >
          Clip box
        </Toggle>
      </Flex>
      {layer === "Blocks" && model.dim === 3 && (
        <Flex
          align="center"
          gap="2"
          bg="card"
          border="1px solid"
          borderColor="rule"
          borderRadius="4px"
          px="2"
          width="190px"
          height="26px"
        >
          <Text fontSize="11.5px">Explode</Text>
          <Slide
            labels={["Explode the blocks"]}
            value={[explode]}
            most={1.5}
            step={0.05}
            set={([far = 0]) => set({ explode: far })}
          />
        </Flex>
      )}
      {layer !== "Blocks" && model.dim === 3 && <PartTools />}
      {clip && (
        <Box
          bg="card"
          border="1px solid"
          borderColor="rule"
          borderRadius="md"
          px="3"
          py="2"
          width="190px"
        >
          {["x", "y", "z"].map((axis, n) => (
            <Flex key={axis} align="center" gap="2" height="24px">
              <Text fontFamily="mono" fontSize="12px">
                {axis}
              </Text>
              <Slide
                labels={[`Clip ${axis} from`, `Clip ${axis} to`]}
                value={clip[n] ?? [0, 1]}
                most={1}
                step={0.005}
                set={([low = 0, high = 1]) =>
                  set({ clip: clip.map((old, k) => (k === n ? [low, high] : old)) })
                }
              />
            </Flex>
          ))}
        </Box>
      )}
    </Flex>
  );
}

interface ToggleProps {
  on: boolean;
  act: () => void;
  children: string;
}

const Toggle = ({ on, act, children }: ToggleProps) => (
  <Small type="button" aria-pressed={on} bg={on ? "ochreSoft" : "card"} onClick={act}>
    {children}
  </Small>
);
