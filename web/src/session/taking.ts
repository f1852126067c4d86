/** Taking something in hand, from the view, the plan or a list; a draft's field gets it too. */
import { GUIDING, type Kind } from "../model/schema";
import { picked, selectorOf, type Taken } from "../model/selection";
import { useBoard } from "./store";

/** Takes entities of one kind in hand; `add` keeps those that were. */
export function takeIds(kinds: Map<string, Kind>, kind: Taken, ids: string[], add: boolean): void {
  const board = useBoard.getState();
  const draft = board.draft;
  const asked = kinds.get(draft?.step.kind ?? "")?.fields.find((f) => f.name === draft?.field);
  if (asked?.widget === "corner-places") {
    addPlace(asked.name, kind, ids);
    return;
  }
  // A list of guides grows with every click; one guide is replaced.
  const grows = asked && GUIDING.has(asked.widget) && ["guides", "places"].includes(asked.widget);
  const selection = picked(board.selection, kind, ids, add || Boolean(grows));
  const selector = asked && selectorOf(selection, asked.widget);
  board.set({
    selection,
    crowd: null,
    draft:
      draft && asked && selector
        ? { ...draft, step: { ...draft.step, [asked.name]: selector } }
        : draft,
  });
}

/** Adds a corner or a guide to a list of both; taken again, it leaves the list. */
function addPlace(field: string, kind: Taken, ids: string[]): void {
  const { draft, set } = useBoard.getState();
  const [id] = ids;
  if (!draft || !id || !["corner", "guide"].includes(kind)) return;
  const value = kind === "corner" ? { ids: [id] } : { guide: id, fraction: 0 };
  const there = (draft.step[field] as unknown[] | undefined) ?? [];
  const rest = there.filter((one) => JSON.stringify(one) !== JSON.stringify(value));
  const next = rest.length < there.length ? rest : [...there, value];
  set({ crowd: null, draft: { ...draft, step: { ...draft.step, [field]: next } } });
}
