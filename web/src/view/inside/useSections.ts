import { useSectionPicture } from "../../api/sections";
import { useBoardData } from "../../session/context";
import { useBoard } from "../../session/store";

/** The sections on view, with their picture; none where no grid in space is shown. */
export function useSections() {
  const { project, recipe, grid } = useBoardData();
  const { sections, layer, here, share, metric, part } = useBoard((board) => board);
  const asked = part.kind === "sections" && grid?.dim === 3 && layer !== "Blocks";
  const shown = asked ? sections.filter((one) => one.shown) : [];
  const wish = {
    upto: here,
    smoothed: share > 0,
    metric: layer === "Quality" ? metric : null,
  };
  const picture = useSectionPicture(project, recipe.revision, wish, shown);
  return { shown, picture: shown.length ? (picture.data ?? null) : null, query: picture };
}
