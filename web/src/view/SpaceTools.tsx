import { Box, Flex, Slider, Text } from "@chakra-ui/react";
import { useBoardData } from "../board/context";
import { useBoard } from "../board/store";
import { DIRECTIONS } from "./extent";
import { PartTools } from "./PartTools";
import { Small } from "./Small";

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
          <Slider.Root
            flex="1"
            size="sm"
            min={0}
            max={1.5}
            step={0.05}
            value={[explode]}
            aria-label={["Explode the blocks"]}
            onValueChange={({ value }) => set({ explode: value[0] ?? 0 })}
          >
            <Slider.Control>
              <Slider.Track>
                <Slider.Range bg="ochre" />
              </Slider.Track>
              <Slider.Thumbs />
            </Slider.Control>
          </Slider.Root>
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
              <Slider.Root
                flex="1"
                size="sm"
                min={0}
                max={1}
                step={0.005}
                value={clip[n] ?? [0, 1]}
                aria-label={[`Clip ${axis} from`, `Clip ${axis} to`]}
                onValueChange={({ value }) =>
                  set({
                    clip: clip.map((old, k) =>
                      k === n ? [value[0] ?? 0, value[1] ?? 1] : old,
                    ) as [number, number][],
                  })
                }
              >
                <Slider.Control>
                  <Slider.Track>
                    <Slider.Range bg="ochre" />
                  </Slider.Track>
                  <Slider.Thumbs />
                </Slider.Control>
              </Slider.Root>
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
