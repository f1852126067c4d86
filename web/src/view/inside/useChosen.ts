import { useChosenPicture } from "../../api/sections";
import { useBoardData } from "../../session/context";
import { useBoard } from "../../session/store";

/** The cells that are looked at alone, with their picture; none where others are shown. */
export function useChosen() {
  const { project, recipe, grid, quality } = useBoardData();
  const { choice, layer, here, share, metric, part } = useBoard((board) => board);
  const asked = part.kind === "chosen" && grid !== null && layer !== "Blocks";
  const ranges = choice.conditions.map(({ metric, worse }) => {
    const high = quality?.metrics.find((m) => m.key === metric)?.better === "high";
    return high ? { metric, high: worse } : { metric, low: worse };
  });
  const query = useChosenPicture(
    project,
    recipe.revision,
    {
      upto: here,
      smoothed: share > 0,
      metric: layer === "Quality" ? metric : null,
      ranges,
      patch: choice.patch,
      grown: choice.grown,
      shrunk: choice.shrunk ? 0.25 : 0,
    },
    asked,
  );
  return { picture: asked ? (query.data ?? null) : null, query };
}
