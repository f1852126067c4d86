import { useComparison } from "../../api/comparison";
import { useBoardData } from "../../session/context";
import { useBoard } from "../../session/store";

/** The present state beside the one that it is compared with; nothing where it is compared with none. */
export function useCompared() {
  const { project, recipe } = useBoardData();
  const { against, here, share, metric, bars } = useBoard((board) => board);
  const wish = { upto: here, smoothed: share > 0, metric, log: bars.log };
  const found = useComparison(project, recipe.revision, wish, against?.other ?? null);
  return {
    compared: against && !found.error ? (found.data ?? null) : null,
    problem: against ? found.error : null,
  };
}
