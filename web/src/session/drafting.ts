/** Starting a draft: a new step with what is in hand filled in, or an old one taken up again. */

import { lengthText } from "../model/numbers";
import { freshId, type Ground, placed, placeFor, replaced } from "../model/places";
import { type Field, GUIDING, inPlay, type Kind, plays, SELECTING } from "../model/schema";
import { edgeId, type Selection, sameEdge, selectorOf } from "../model/selection";
import { sizesAlong } from "../model/sizes";
import type { Model, Step } from "../model/types";
import type { Draft } from "./store";

/** Makes the draft of a new step. */
export function newDraft(
  kind: Kind,
  steps: Step[],
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
    } else if (["guide", "guides"].includes(field.widget) && field.required) {
      const guides = fitting(field, model, selection);
      if (guides.length)
        step[field.name] = selectorOf({ kind: "guide", ids: guides }, field.widget);
    } else if (field.name === "name" && field.widget === "text" && kind.stage === "Shape") {
      step.name = freshName(kind.kind, model);
    }
  }
  if (kind.kind === "space") Object.assign(step, presentLaw(model, step), values);
  return {
    step,
    isNew: true,
    field: selectingField(kind, step)?.name ?? null,
  };
}

/** The guides in hand that fit a field; for a field of one guide the first that fits, where none is. */
function fitting(field: Field, model: Model, selection: Selection): string[] {
  const dim = { curve: 1, surface: 2 }[field.of];
  const fits = model.guides.filter((guide) => dim === undefined || guide.dim === dim);
  const taken = selection.kind === "guide" ? selection.ids : [];
  const found = taken.filter((name) => fits.some((guide) => guide.name === name));
  if (found.length || field.widget === "guides") return found;
  return fits.slice(0, 1).map((guide) => guide.name);
}

/** A name for a new guide: its kind and the first free number. */
function freshName(kind: string, model: Model): string {
  const stem = kind.replace(/-(curve|section)$/, "");
  const taken = [...model.guides, ...model.groups].map((guide) => guide.name);
  for (let n = 1; ; n++) {
    const name = `${stem}-${n}`;
    if (!taken.some((other) => other === name || other.startsWith(`${name}.`))) return name;
  }
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
  ) ?? kind.fields.find((f) => GUIDING.has(f.widget) && plays(f, step, kind));

/** Only the form's first selecting field is filled by itself. */
function wantsSelection(field: Field, kind: Kind): boolean {
  const first = kind.fields.find((f) => SELECTING.has(f.widget) && !f.optional);
  return field === (first ?? kind.fields.find((f) => f.widget === "edge"));
}

/** Where a draft stands among the steps; `here` is where the recipe is looked at. */
export const placeOf = (
  { step, isNew, late }: Draft,
  steps: Step[],
  here: number | null,
  ground: Ground,
): number =>
  isNew
    ? placeFor(step, steps, here ?? steps.length, ground, late)
    : steps.findIndex((other) => other.id === step.id);

/** Gives all steps with what plays a part of the draft; another tab may have used up its id meanwhile. */
export function withDraft(
  steps: Step[],
  draft: Draft,
  kind: Kind,
  here: number | null,
  ground: Ground,
): Step[] {
  const { isNew } = draft;
  const step = inPlay(draft.step, kind);
  if (!isNew) return replaced(steps, step);
  const taken = steps.some((other) => other.id === step.id);
  const named = taken ? { ...step, id: freshId(step.kind, steps) } : step;
  return placed(steps, named, here ?? steps.length, ground, draft.late);
}

/** Whether all fields that must be set are. */
export const complete = (kind: Kind, step: Record<string, unknown>): boolean =>
  kind.fields.every((field) => {
    const value = step[field.name];
    const given = Array.isArray(value) ? value.length > 0 : value !== undefined && value !== "";
    return !field.required || !plays(field, step, kind) || given;
  });
