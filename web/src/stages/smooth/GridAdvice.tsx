import { whole } from "../../model/numbers";
import { useBoardData } from "../../session/context";
import { useBoard } from "../../session/store";
import { Quiet } from "../../theme/parts";
import { Card } from "../forms/AdviceList";

/** What polishing betters, by the keys of metrics. */
const SHAPES = new Set(["scaled_jacobian", "smallest_angle", "largest_angle", "skewness"]);

/** The run that would cure the grid as it is: folded cells, or shapes that miss the gate. */
export function GridAdvice() {
  const { quality, begin } = useBoardData();
  const set = useBoard((board) => board.set);
  if (!quality) return null;
  const start = (kind: "untangle" | "polish") => {
    set({ stage: "Smooth" });
    begin(kind);
  };
  if (quality.folded)
    return (
      <Card
        colour="madder"
        text={`${whole(quality.folded)} cells are folded: untangling moves nodes until none is`}
      >
        <Quiet mt="1.5" onClick={() => start("untangle")}>
          Untangle
        </Quiet>
      </Card>
    );
  if (!quality.metrics.some((metric) => metric.missed && SHAPES.has(metric.key))) return null;
  return (
    <Card
      colour="plum"
      text="The worst shapes miss the gate: polishing betters them, and keeps the rest and first heights"
    >
      <Quiet mt="1.5" onClick={() => start("polish")}>
        Polish
      </Quiet>
    </Card>
  );
}
