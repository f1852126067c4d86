import { Text } from "@chakra-ui/react";
import { short } from "../../model/numbers";
import { useBoardData } from "../../session/context";
import { Kept } from "../../theme/parts";
import { useNewReports } from "./reports";

const SHOWN = 6;

/** “If you keep this” for guides: what is new, with its size, and what a step has to say. */
export function ShapeEffect() {
  const { preview, model } = useBoardData();
  const reports = useNewReports();
  if (!preview || preview.error) return null;
  const before = new Map(model.guides.map((guide) => [guide.name, JSON.stringify(guide)]));
  const after = preview.model;
  const fresh = after.guides.filter((guide) => before.get(guide.name) !== JSON.stringify(guide));
  const gone = model.guides.length + fresh.length - after.guides.length;
  if (!fresh.length && gone <= 0 && !reports.length) return null;
  return (
    <Kept>
      {fresh.slice(0, SHOWN).map((guide) => (
        <Text key={guide.name}>
          {guide.name}:{" "}
          <b>
            {guide.dim === 2
              ? `${short(guide.area, 6)} ${after.unit}²`
              : guide.dim === 1
                ? `${short(guide.length, 6)} ${after.unit}`
                : guide.low.map((v) => short(v, 6)).join(", ")}
          </b>{" "}
          {before.has(guide.name) ? "changed" : guide.kind}
        </Text>
      ))}
      {fresh.length > SHOWN && <Text>and {fresh.length - SHOWN} more</Text>}
      {reports.map((line) => (
        <Text key={line}>{line}</Text>
      ))}
    </Kept>
  );
}
