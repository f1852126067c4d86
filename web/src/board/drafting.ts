/** Starting a draft: a new step with what is in hand filled in, or an old one taken up again. */
import type { Model, Step } from "../api/client";
import { lengthText } from "../model/numbers";
import { freshId, inserted, placeFor, replaced } from "../model/places";
import { type Field, type Kind, plays, SELECTING } from "../model/schema";
import { edgeId, type Selection, sameEdge, selectorOf } from "../model/selection";
import { sizesAlong } from "../model/sizes";
import type { Draft } from "./store";

/** Makes the draft of a new step. */
export function newDraft(
  kind: Kind,
  steps: Step[],
  here: number | null,
  selection: Selection,
  model: Model,
  values: Record<string, unknown> = {},
): Draft {
  const step: Step = { kind: kind.kind, id: freshId(kind.kind, steps), ...values };
  for (const field of kind.fields) {
    if (field.name in step) continue;
    if (SELECTING.has(field.widget) && wantsSelection(field, kind)) {
      const selector = selectorOf(selection, field.widget);
      if (selector) step[field.name] = selector;
    } else if (field.widget === "guide" && field.required) {
      const curve = model.guides.find((guide) => guide.kind !== "point");
      if (curve) step[field.name] = curve.name;
    }
  }
  if (kind.kind === "space") Object.assign(step, presentLaw(model, step), values);
  return {
    step,
    at: placeFor(kind.kind, steps, here ?? steps.length),
    isNew: true,
    field: selectingField(kind, step)?.name ?? null,
  };
}

/** The law that the edge in hand has now, so that spacing starts from what is there. */
function presentLaw(model: Model, step: Step): Record<string, unknown> {
  const named = (step.tier as { edges?: [string, string][] } | undefined)?.edges?.[0];
  const edge = named && model.edges.find((e) => sameEdge(edgeId(e.id), edgeId(named)));
  if (!named || !edge || edge.nodes.length < 2) return { law: "uniform" };
  if (edge.law === "uniform") return { law: "uniform" };
  const { d } = sizesAlong(edge, edgeId(named));
  const first = lengthText(d[0] as number, model.unit);
  return edge.law === "tanh"
    ? { law: "tanh", first, last: lengthText(d.at(-1) as number, model.unit) }
    : { law: "geometric", first };
}

/** The field that takes what is picked in the view: the first of the form that does. */
export const selectingField = (kind: Kind, step: Record<string, unknown>): Field | undefined =>
  kind.fields.find(
    (f) => SELECTING.has(f.widget) && wantsSelection(f, kind) && plays(f, step, kind),
  );

/** Only the form's first selecting field is filled by itself. */
function wantsSelection(field: Field, kind: Kind): boolean {
  const first = kind.fields.find((f) => SELECTING.has(f.widget) && !f.optional);
  return field === (first ?? kind.fields.find((f) => f.widget === "edge"));
}

/** Gives all steps with the draft among them; another tab may have used up its id meanwhile. */
export function withDraft(steps: Step[], { step, at, isNew }: Draft): Step[] {
  if (!isNew) return replaced(steps, step);
  const taken = steps.some((other) => other.id === step.id);
  return inserted(steps, taken ? { ...step, id: freshId(step.kind, steps) } : step, at);
}

/** Whether all fields that must be set are. */
export const complete = (kind: Kind, step: Record<string, unknown>): boolean =>
  kind.fields.every((field) => {
    const value = step[field.name];
    return !field.required || !plays(field, step, kind) || (value !== undefined && value !== "");
  });
