import { useChosenPicture } from "../../api/sections";
import { useBoardData } from "../../session/context";
import { useBoard } from "../../session/store";

/** The cells that are looked at alone, with their picture; none where others are shown. */
export function useChosen() {
  const { project, recipe, grid } = useBoardData();
  const { choice, layer, here, share, metric, part } = useBoard((board) => board);
  const asked = part.kind === "chosen" && grid !== null && layer !== "Blocks";
  const wish = {
    upto: here,
    smoothed: share > 0,
    metric: layer === "Quality" ? metric : null,
    ranges: choice.conditions,
    patch: choice.patch,
    grown: choice.grown,
    shrunk: choice.shrunk ? 0.25 : 0,
  };
  const query = useChosenPicture(project, recipe.revision, wish, asked);
  return { picture: asked ? (query.data ?? null) : null, query, wish, asked };
}
