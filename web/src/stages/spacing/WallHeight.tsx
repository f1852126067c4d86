import { Box, Flex, Input, NativeSelect, Text } from "@chakra-ui/react";
import { type ReactNode, useDeferredValue, useId } from "react";
import { useWallHeight } from "../../api/queries";
import { lengthText, short } from "../../model/numbers";
import { type WallWish, wishOf } from "../../model/wall_wish";
import { answer } from "../../session/answering";
import { useBoardData } from "../../session/context";
import { useBoard } from "../../session/store";
import { Fact, Heading, Quiet, Wrong } from "../../theme/parts";

/** The help with first heights: from y⁺, speed, length and fluid, with the formula used. */
export function WallHeight() {
  const { model, kinds, begin, steps } = useBoardData();
  const typed = useBoard((board) => board.wall);
  const wish = typed ?? wishOf(steps);
  const draft = useBoard((board) => board.draft);
  const set = useBoard((board) => board.set);
  const asked = useDeferredValue(wish);
  const found = useWallHeight(asked, model.unit);
  const change = (part: Partial<WallWish>) => set({ wall: { ...wish, ...part } });
  const height = found.data;
  const use = () => {
    if (!height) return;
    const first = lengthText(height.height, model.unit);
    const values = { first, growth: Number(wish.growth), layers: height.layers };
    const kind = kinds.get("wall-layer");
    if (kind && draft?.step.kind === kind.kind) answer(kind, draft.step.id, values);
    else begin("wall-layer", values);
  };
  return (
    <Box mt="3" as="section" aria-label="First height for a y⁺">
      <Heading>First height for a y⁺</Heading>
      <Line word="Speed" unit="m/s">
        <Typed name="Speed" value={wish.speed} set={(speed) => change({ speed })} />
      </Line>
      <Line word="Length of the wall" unit={model.unit}>
        <Typed name="Length of the wall" value={wish.length} set={(length) => change({ length })} />
      </Line>
      <Line word="Fluid">
        <Chosen
          name="Fluid"
          value={wish.fluid}
          choices={["water", "air", "typed"]}
          set={(fluid) => change({ fluid: fluid as WallWish["fluid"] })}
        />
      </Line>
      {wish.fluid === "typed" ? (
        <>
          <Line word="Density" unit="kg/m³">
            <Typed name="Density" value={wish.density} set={(density) => change({ density })} />
          </Line>
          <Line word="Viscosity" unit="Pa s">
            <Typed
              name="Viscosity"
              value={wish.viscosity}
              set={(viscosity) => change({ viscosity })}
            />
          </Line>
        </>
      ) : (
        <Line word="Temperature" unit="°C">
          <Typed name="Temperature" value={wish.celsius} set={(celsius) => change({ celsius })} />
        </Line>
      )}
      <Line word="Wanted y⁺">
        <Typed name="Wanted y⁺" value={wish.yPlus} set={(yPlus) => change({ yPlus })} />
      </Line>
      <Line word="Growth">
        <Typed name="Growth" value={wish.growth} set={(growth) => change({ growth })} />
      </Line>
      <Line word="Friction">
        <Chosen
          name="Friction"
          value={wish.friction}
          choices={["Schlichting", "White"]}
          set={(friction) => change({ friction: friction as WallWish["friction"] })}
        />
      </Line>
      {found.error && <Wrong>{found.error.message}</Wrong>}
      {height && !found.error && (
        <Box bg="tealSoft" borderRadius="md" px="3" py="2" mt="2" fontSize="12px" role="status">
          <Fact name="first height" value={<b>{lengthText(height.height, model.unit)}</b>} />
          <Fact
            name="layers to cover"
            value={`${height.layers} for ${lengthText(height.thickness, model.unit)}`}
          />
          <Fact name="Reynolds number" value={short(height.reynolds)} />
          <Fact name="shear speed" value={`${short(height.shear_speed)} m/s`} />
          <Fact name="ν" value={`${short(height.viscosity / height.density)} m²/s`} />
          <Text color="muted" mt="1">
            {height.formula}, which gives {short(height.friction)} on a flat plate. y⁺ is that of
            the first node; the cell's centre has half of it.
          </Text>
          <Text mt="1">
            y⁺ {wish.yPlus}: {height.range}.
          </Text>
          <Quiet mt="1.5" onClick={use}>
            Use it for a wall layer
          </Quiet>
        </Box>
      )}
    </Box>
  );
}

const Line = ({ word, unit, children }: { word: string; unit?: string; children: ReactNode }) => (
  <Flex align="center" gap="2" py="0.5">
    <Text flex="1" fontSize="12.5px">
      {word}{" "}
      {unit && (
        <Text as="span" color="muted">
          ({unit})
        </Text>
      )}
    </Text>
    <Box width="104px" flexShrink="0">
      {children}
    </Box>
  </Flex>
);

interface TypedProps {
  name: string;
  value: string;
  set: (value: string) => void;
}

const Typed = ({ name, value, set }: TypedProps) => (
  <Input
    aria-label={name}
    size="xs"
    height="24px"
    fontFamily="mono"
    textAlign="right"
    bg="card"
    borderColor="rule"
    value={value}
    onChange={(event) => set(event.target.value)}
  />
);

function Chosen({ name, value, set, choices }: TypedProps & { choices: string[] }) {
  const id = useId();
  return (
    <NativeSelect.Root size="xs">
      <NativeSelect.Field
        id={id}
        aria-label={name}
        height="24px"
        bg="card"
        borderColor="rule"
        value={value}
        onChange={(event) => set(event.target.value)}
      >
        {choices.map((choice) => (
          <option key={choice}>{choice}</option>
        ))}
      </NativeSelect.Field>
      <NativeSelect.Indicator />
    </NativeSelect.Root>
  );
}
