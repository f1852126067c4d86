/** Answering the fields of the draft: always of the draft as it is by now, not as a form was drawn with. */
import { type Kind, plays } from "../model/schema";
import { selectingField } from "./drafting";
import { useBoard } from "./store";

/**
 * Sets fields of the draft; undefined empties one. A draft that was left meanwhile keeps what it has:
 * an answer may come late, as a file that is read.
 */
export function answer(kind: Kind, id: unknown, values: Record<string, unknown>): void {
  const { draft, set } = useBoard.getState();
  if (draft?.step.kind !== kind.kind || draft.step.id !== id) return;
  const step = { ...draft.step, ...values };
  for (const name of Object.keys(values)) if (values[name] === undefined) delete step[name];
  // What is picked goes to a field that plays a part with the new values.
  const field = kind.fields.find((one) => one.name === draft.field);
  const taking = field && plays(field, step, kind) ? field : selectingField(kind, step);
  set({ draft: { ...draft, step, field: taking?.name ?? null } });
}
