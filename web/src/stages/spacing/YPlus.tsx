import { Text } from "@chakra-ui/react";
import { useDeferredValue } from "react";
import { useWallHeight } from "../../api/queries";
import { lengthIn, short } from "../../model/numbers";
import { wishOf } from "../../model/wall_wish";
import { useBoardData } from "../../session/context";
import { useBoard } from "../../session/store";

/** The y⁺ that a first height comes to, in the flow that the help with first heights was asked for. */
export function YPlus({ first }: { first: unknown }) {
  const { model, steps } = useBoardData();
  const typed = useBoard((board) => board.wall);
  const wish = useDeferredValue(typed ?? wishOf(steps));
  const found = useWallHeight(wish, model.unit);
  const height = lengthIn(String(first ?? ""), model.unit);
  if (height === null || height <= 0 || !found.data || found.error) return null;
  // y⁺ is proportional to the height.
  const yPlus = (Number(wish.yPlus.replace(",", ".")) * height) / found.data.height;
  const fluid = wish.fluid === "typed" ? "the typed fluid" : `${wish.fluid} of ${wish.celsius} °C`;
  return (
    <Text fontSize="11px" color="muted" textAlign="right">
      y⁺ {short(yPlus)} at {wish.speed} m/s, {wish.length} of wall, {fluid}; help below
    </Text>
  );
}
