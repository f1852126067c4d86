import { Text } from "@chakra-ui/react";
import { short, whole } from "../../model/numbers";
import type { Effect } from "../../model/types";
import { useBoardData } from "../../session/context";
import { Kept } from "../../theme/parts";
import { useNewReports } from "./reports";

/** “If you keep this”: what the draft would change in numbers, and what would stay. */
export function EffectCard() {
  const { preview } = useBoardData();
  const reports = useNewReports();
  const { before, after } = preview ?? {};
  const wrong = preview && !preview.error ? preview.model.findings : [];
  if (!after) return null;
  const now = linesOf(after);
  const was = before ? linesOf(before) : now.map(() => null);
  const lines = now.map((line, n) => ({ ...line, before: was[n]?.value ?? "" }));
  const [changed, same] = [true, false].map((changes) =>
    lines.filter((line) => line.value && (line.before !== line.value) === changes),
  );
  return (
    <Kept>
      {changed?.map(({ word, value, before }) => (
        <Text key={word}>
          {word}{" "}
          {before && (
            <Text as="span" color="muted">
              {before} →{" "}
            </Text>
          )}
          <b>{value}</b>
        </Text>
      ))}
      {same && same.length > 0 && (
        <Text color="muted">
          as before: {same.map(({ word, value }) => `${word} ${value}`).join(" · ")}
        </Text>
      )}
      {(after.folded ?? 0) > 0 && (
        <Text color="madder" fontWeight="600">
          {whole(after.folded ?? 0)} cells would be folded
          {after.coarse && " in a coarse trial; the fine grid may differ"}
        </Text>
      )}
      {reports.map((line) => (
        <Text key={line}>{line}</Text>
      ))}
      {wrong.slice(0, 3).map((finding) => (
        <Text key={finding.text} color="madder">
          {finding.text}
        </Text>
      ))}
    </Kept>
  );
}

/** An effect in words and numbers; what was not worked out is empty. */
function linesOf(effect: Effect): { word: string; value: string }[] {
  const range = (low: number | null, high: number | null) =>
    low === null || high === null ? "" : `${short(low)}° to ${short(high)}°`;
  return [
    { word: "blocks", value: whole(effect.blocks) },
    { word: "cells", value: whole(effect.cells) },
    { word: "block corners", value: range(effect.smallest_corner, effect.largest_corner) },
    {
      word: effect.coarse ? "angles, coarse trial" : "angles, filled",
      value: range(effect.smallest_angle, effect.largest_angle),
    },
    { word: "worst volume jump", value: effect.jump === null ? "" : short(effect.jump) },
    { word: "worst growth along edges", value: short(effect.growth) },
    { word: "jumps from block to block", value: whole(effect.jumps) },
  ];
}
