/** Steps as sentences: words, and values that can be clicked. */

import type { Field, Kind } from "./schema";
import { plays } from "./schema";
import { idOf } from "./selection";
import type { Step } from "./types";

export interface Part {
  text: string;
  /** The field a value belongs to; words have none. */
  field?: string;
}

/** Splits a step's sentence into its words and values. */
export function sentence(step: Step, kind: Kind, labels: Record<string, string>): Part[] {
  const parts: Part[] = [];
  for (const piece of kind.sentence.split(/(\{\w+\})/)) {
    const name = /^\{(\w+)\}$/.exec(piece)?.[1];
    const field = kind.fields.find((f) => f.name === name);
    if (!field) {
      if (piece) parts.push({ text: piece });
      continue;
    }
    const value = step[field.name] ?? field.fallback;
    const told = plays(field, step, kind) ? valueText(value, labels, field) : "";
    if (told) parts.push({ text: told, field: field.name });
    else dropWord(parts);
  }
  return parts.filter((part) => part.text.trim() !== "");
}

/** A value that is left out takes the words before it along, back to a comma or one, but never the verb. */
function dropWord(parts: Part[]): void {
  const last = parts.at(-1);
  if (!last || last.field) return;
  const verb = parts.length === 1 ? (/^\S+\s*/.exec(last.text)?.[0] ?? "") : "";
  const rest = last.text.slice(verb.length);
  last.text =
    verb +
    (rest.includes(",") ? rest.replace(/,[^,]*$/, "") : rest.replace(/(^|\s)[\p{L}]*\s*$/u, "$1"));
}

/** Tells a value in words: a number, a place, or a selector by its labels. */
export function valueText(value: unknown, labels: Record<string, string>, field?: Field): string {
  if (value === null || value === undefined || value === "") return "";
  const unit = field?.unit ?? "";
  if (typeof value === "number") return `${told(value)}${unit}`;
  if (typeof value === "string") return `${value}${unit}`;
  if (Array.isArray(value)) {
    if (field?.widget === "corner-places") return `${value.length} corners`;
    if (field?.widget === "table") return value.length ? `a table of ${value.length}` : "";
    if (field?.widget === "places") return `${value.length} points`;
    if (field?.widget === "guides" && value.length > 3) return `${value.length} guides`;
    return value.map((v) => valueText(v, labels)).join(", ");
  }
  const rule = value as Record<string, unknown>;
  if ("at" in rule) return `nearest ${valueText(rule.at, labels)}`;
  if ("any" in rule) return (rule.any as unknown[]).map((v) => valueText(v, labels)).join(" and ");
  if ("every" in rule)
    return (rule.every as unknown[]).map((v) => valueText(v, labels)).join(", only ");
  if ("region" in rule) return `region ${rule.region}`;
  if ("between" in rule) return `what is between ${(rule.between as string[]).join(" and ")}`;
  if ("on" in rule) return `what follows ${rule.on}`;
  if ("side" in rule) return `side ${rule.side}`;
  if ("looks" in rule)
    return `what looks along ${valueText(rule.looks, labels)} within ${told(Number(rule.within ?? 45))}°`;
  if ("inside" in rule)
    return `what is in the box ${(rule.inside as unknown[]).map((p) => valueText(p, labels)).join(" to ")}`;
  if ("ball" in rule)
    return `what is in the ball of ${valueText(rule.radius, labels)} round ${valueText(rule.ball, labels)}`;
  if ("plane" in rule)
    return `what is in the plane through ${valueText(rule.plane, labels)} with normal ${valueText(rule.normal, labels)}`;
  if ("but" in rule)
    return `${valueText(rule.of, labels)}, but not ${(rule.but as unknown[]).map((v) => valueText(v, labels)).join(" and ")}`;
  if ("each" in rule) return `${(rule.each as unknown[]).length} by their places`;
  if ("patch" in rule) return `patch ${rule.patch}`;
  if ("sides" in rule) {
    const sides = rule.sides as string[][];
    const named = sides.map((s) => labels[idOf([...s].sort())] ?? "a side");
    return named.length > 3 ? `${named.length} sides` : named.join(", ");
  }
  if ("around" in rule) return `what is around ${valueText(rule.around, labels)}`;
  if ("hollow" in rule) return "all hollow blocks";
  if ("all" in rule) return rule.all === true ? "all" : "all, hollow too";
  if ("rest" in rule) return "all the rest";
  if ("guide" in rule) return rule.fraction ? `${rule.guide} at ${rule.fraction}` : `${rule.guide}`;
  if ("ends" in rule) return `${rule.ends} of ${listed(rule.ids as string[], labels)}`;
  if ("edges" in rule) {
    const edges = rule.edges as [string, string][];
    const named = edges.map((e) => labels[idOf(e)] ?? e.map((c) => labels[c] ?? c).join("–"));
    return named.length > 3 ? `${named.length} edges` : named.join(", ");
  }
  if ("ids" in rule) return listed(rule.ids as string[], labels);
  return JSON.stringify(value);
}

/** A number without what rounding has left behind its sixth digit. */
const told = (value: number): string => String(Number(value.toPrecision(6)));

function listed(ids: string[], labels: Record<string, string>): string {
  const named = ids.map((id) => labels[id] ?? id);
  return named.length > 4 ? `${named.length} of them` : named.join(", ");
}
