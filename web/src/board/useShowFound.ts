import { useEffect } from "react";
import type { Taken } from "../model/selection";
import type { Model, Preview } from "../model/types";
import { useBoard } from "../session/store";

/** Selectors that name what they find: it is in hand already. */
const NAMED = ["ids", "edges", "sides"];
/** More than so many are not drawn one by one. */
const MOST = 5000;

/** Takes in hand what the field that takes from the view finds by rule, so that the view shows it. */
export function useShowFound(preview: Preview | null, model: Model | undefined): void {
  const draft = useBoard((board) => board.draft);
  const field = draft?.field;
  const value = field ? draft.step[field] : undefined;
  const byRule =
    Boolean(value) && typeof value === "object" && !NAMED.some((key) => key in Object(value));
  const found = byRule ? preview?.found.find((one) => one.field === field) : undefined;
  useEffect(() => {
    if (!found || !model || found.ids.length > MOST) return;
    const kinds = { corners: "corner", edges: "edge", sides: "side", blocks: "block" } as const;
    const kind: Taken = found.what === "sides" && model.dim === 2 ? "edge" : kinds[found.what];
    useBoard.setState({ selection: { kind, ids: found.ids } });
  }, [found, model]);
}
