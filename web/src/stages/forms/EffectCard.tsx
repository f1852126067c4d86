import { Text } from "@chakra-ui/react";
import type { ReactNode } from "react";
import { short, whole } from "../../model/numbers";
import { useBoardData } from "../../session/context";
import { Kept } from "../../theme/parts";

/** “If you keep this”: the effect of the draft in numbers, against how it stands. */
export function EffectCard() {
  const { preview } = useBoardData();
  const { before, after } = preview ?? {};
  const wrong = preview && !preview.error ? preview.model.findings : [];
  if (!after) return null;
  const range = (low: number | null, high: number | null) =>
    low === null || high === null ? "" : `${short(low)}° to ${short(high)}°`;
  const corners = (e: typeof after) => range(e.smallest_corner, e.largest_corner);
  const angles = (e: typeof after) => range(e.smallest_angle, e.largest_angle);
  return (
    <Kept>
      <Change before={before && whole(before.blocks)} after={whole(after.blocks)} word="blocks" />
      <Change before={before && whole(before.cells)} after={whole(after.cells)} word="cells" />
      <Change before={before && corners(before)} after={corners(after)} word="block corners" />
      {after.smallest_angle !== null && (
        <Change
          before={before && angles(before)}
          after={angles(after)}
          word={after.coarse ? "angles, coarse trial" : "angles, filled"}
        />
      )}
      {after.jump !== null && (
        <Change
          before={before?.jump ? short(before.jump) : null}
          after={short(after.jump)}
          word="worst volume jump"
        />
      )}
      <Change
        before={before && short(before.growth)}
        after={short(after.growth)}
        word="worst growth along edges"
      />
      <Change
        before={before && whole(before.jumps)}
        after={whole(after.jumps)}
        word="jumps from block to block"
      />
      {(after.folded ?? 0) > 0 && (
        <Text color="madder" fontWeight="600">
          {whole(after.folded ?? 0)} cells would be folded
          {after.coarse && " in a coarse trial; the fine grid may differ"}
        </Text>
      )}
      {wrong.slice(0, 3).map((finding) => (
        <Text key={finding.text} color="madder">
          {finding.text}
        </Text>
      ))}
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
