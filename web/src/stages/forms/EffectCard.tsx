import { Text } from "@chakra-ui/react";
import type { ReactNode } from "react";
import { useBoardData } from "../../board/context";
import { short, whole } from "../../model/numbers";
import { Kept } from "../../theme/parts";

/** “If you keep this”: the effect of the draft in numbers, against how it stands. */
export function EffectCard() {
  const { preview } = useBoardData();
  const { before, after } = preview ?? {};
  if (!after) return null;
  const angles = (e: typeof after) => `${short(e.smallest_angle)}° to ${short(e.largest_angle)}°`;
  return (
    <Kept>
      <Change before={before && whole(before.blocks)} after={whole(after.blocks)} word="blocks" />
      <Change before={before && whole(before.cells)} after={whole(after.cells)} word="cells" />
      <Change before={before && angles(before)} after={angles(after)} word="angles, filled" />
      <Change
        before={before && short(before.jump)}
        after={short(after.jump)}
        word="worst volume jump"
      />
      {after.folded > 0 && (
        <Text color="madder" fontWeight="600">
          {whole(after.folded)} cells would be folded
        </Text>
      )}
    </Kept>
  );
}

interface ChangeProps {
  before: ReactNode;
  after: ReactNode;
  word: string;
}

const Change = ({ before, after, word }: ChangeProps) => (
  <Text>
    {word}{" "}
    {before && before !== after ? (
      <Text as="span" color="muted">
        {before} →{" "}
      </Text>
    ) : null}
    <b>{after}</b>
  </Text>
);
