import { Box, chakra, Flex, Text } from "@chakra-ui/react";
import type { ReactNode } from "react";
import { lengthText, short } from "../../model/numbers";
import type { Quality } from "../../model/types";
import { useBoardData } from "../../session/context";
import { useBoard } from "../../session/store";

type Fit = Quality["fits"][number];
type Heights = Quality["heights"][number];

/** What is told of walls: how far the grid lies off its guides, and the first heights over each wall. */
export function Walls({ fits, heights }: { fits: Fit[]; heights: Heights[] }) {
  const { model } = useBoardData();
  const set = useBoard((board) => board.set);
  const size = Math.max(
    ...[0, 1, 2].map((n) => {
      const values = model.corners.map((corner) => corner.xyz[n] ?? 0);
      return Math.max(...values) - Math.min(...values);
    }),
  );
  const go = (at: number[]) => set({ target: { at, size: 0.15 * size, turn: Date.now() } });
  const creased = fits.flatMap(({ guide, crease }) => (crease ? [{ guide, ...crease }] : []));
  // What rounding leaves of a zero is told as one.
  const told = (value: number) => lengthText(value < 1e-9 * size ? 0 : value, model.unit);
  return (
    <>
      {fits.length > 0 && (
        <Box mt="3">
          <Row
            head
            name="off guides"
            first="misfit"
            second="sag"
            title="The misfit is the distance of a node from its guide; the sag is how much further off the middle of a face is: finer cells cure it."
          />
          {fits.map((fit) => (
            <Row
              key={fit.guide}
              name={`${fit.missed ? "✗ " : ""}${fit.guide}`}
              first={told(fit.misfit)}
              second={told(fit.sag)}
              bad={fit.missed}
              title={`${fit.sides} sides; on average ${told(fit.mean_misfit)} misfit and ${told(fit.mean_sag)} sag.${fit.sewn ? ` Up to ${told(fit.sewn)}, within which it was sewn, does not count.` : ""} Click to go to the node furthest off.`}
              act={() => go(fit.at)}
            />
          ))}
          {creased.map(({ guide, degrees, at }) => (
            <Row
              key={guide}
              name={guide}
              first="crease"
              second={`${Math.round(degrees)}°`}
              bad
              title="A side runs over a crease: the guide breaks between its nodes, and cells cut off the sharp line: cut the blocks there and let edges follow it. Click to go there."
              act={() => go(at)}
            />
          ))}
        </Box>
      )}
      {heights.length > 0 && (
        <Box mt="3">
          <Row
            head
            name="first heights"
            first="median"
            second="held"
            third={heights.some((one) => one.y_plus !== null) ? "y⁺" : undefined}
            title="The distance of the first nodes from the wall. Held: the share of them within 5 % of what its edges have, where wall layers were laid."
          />
          {heights.map((one) => (
            <Row
              key={one.wall}
              name={one.wall}
              first={lengthText(one.median, model.unit)}
              second={one.held === null ? "–" : `${Math.floor(1000 * one.held) / 10} %`}
              third={one.y_plus === null ? undefined : short(one.y_plus)}
              bad={one.held !== null && one.held < 0.95}
              title={`${one.wall}: from ${lengthText(one.smallest, model.unit)} to ${lengthText(one.largest, model.unit)}${one.wanted === null ? "" : `, wanted ${lengthText(one.wanted, model.unit)}`}`}
            />
          ))}
        </Box>
      )}
    </>
  );
}

interface RowProps {
  name: string;
  first: ReactNode;
  second: ReactNode;
  third?: ReactNode;
  title: string;
  head?: boolean;
  bad?: boolean;
  act?: () => void;
}

function Row({ name, first, second, third, title, head, bad, act }: RowProps) {
  const cells = (
    <>
      <Text flex="1" truncate textAlign="left">
        {name}
      </Text>
      <Text
        fontFamily={head ? undefined : "mono"}
        width="74px"
        textAlign="right"
        color={bad ? "madder" : undefined}
      >
        {first}
      </Text>
      <Text
        fontFamily={head ? undefined : "mono"}
        width="70px"
        textAlign="right"
        color={bad ? "madder" : "muted"}
      >
        {second}
      </Text>
      {third !== undefined && (
        <Text fontFamily={head ? undefined : "mono"} width="44px" textAlign="right">
          {third}
        </Text>
      )}
    </>
  );
  const look = { px: "2", gap: "2", alignItems: "baseline", title };
  if (!act)
    return (
      <Flex
        {...look}
        py={head ? "0" : "1"}
        fontSize={head ? "11px" : "12px"}
        color={head ? "muted" : "ink"}
      >
        {cells}
      </Flex>
    );
  return (
    <chakra.button
      {...look}
      type="button"
      display="flex"
      width="100%"
      py="1"
      borderRadius="4px"
      cursor="pointer"
      fontSize="12px"
      _hover={{ bg: "ochreSoft" }}
      onClick={act}
    >
      {cells}
    </chakra.button>
  );
}
