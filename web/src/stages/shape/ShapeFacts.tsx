import { Box, Text } from "@chakra-ui/react";
import { useBoardData } from "../../board/context";
import { Fact } from "../../board/InHand";
import { lengthText, short, whole } from "../../model/numbers";
import { Empty } from "../../theme/parts";

/** The guides with their lengths, extents and point counts: to confirm what was read or typed. */
export function ShapeFacts() {
  const { model } = useBoardData();
  if (!model.guides.length)
    return (
      <Empty>
        Set the unit first, then read an outline from a point file, or draw lines, arcs and circles
        by exact coordinates. A frame needs no guide.
      </Empty>
    );
  return (
    <>
      {model.guides.map((guide) => (
        <Box key={guide.name} borderBottom="1px dotted" borderColor="rule" pb="2">
          <Text fontWeight="600" color="teal">
            {guide.name}
          </Text>
          <Fact name="kind" value={`${guide.closed ? "closed " : ""}${guide.kind}`} />
          {guide.kind !== "point" && (
            <Fact name="length" value={lengthText(guide.length, model.unit)} />
          )}
          {["x", "y"].map((axis, n) => (
            <Fact
              key={axis}
              name={axis}
              value={`${short(guide.low[n] ?? 0, 5)} to ${short(guide.high[n] ?? 0, 5)} ${model.unit}`}
            />
          ))}
          <Fact name="points" value={whole(guide.points)} />
          {guide.kind === "spline" && <Fact name="sharp corners" value={guide.corners.length} />}
        </Box>
      ))}
    </>
  );
}
