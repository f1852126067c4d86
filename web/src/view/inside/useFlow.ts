import { useField } from "../../api/queries";
import type { Range } from "../../model/colouring";
import type { Picture } from "../../model/picture";
import { useBoard } from "../../session/store";

interface Flow {
  name: "speed" | "potential";
  picture: Picture;
  range: Range;
}

/** The flow of a dry run that is shown in the place of the patches; none elsewhere. */
export function useFlow(): Flow | null {
  const shown = useBoard(({ stage, layer, field }) =>
    stage === "Hand-off" && layer === "Patches" ? field : null,
  );
  const { data } = useField(shown);
  if (!shown || !data) return null;
  const range = { worst: data.low ?? 0, best: data.high ?? 0, log: false };
  return { name: shown.name, picture: data, range };
}
