/** The steps' schema as the server publishes it, made ready for forms and sentences. */

import type { Step } from "./types";
export type Widget =
  | "text"
  | "number"
  | "integer"
  | "choice"
  | "length"
  | "lengths"
  | "place"
  | "place-or-guide"
  | "places"
  | "direction"
  | "numbers"
  | "table"
  | "fraction"
  | "guide"
  | "guides"
  | "file"
  | "patch-name"
  | "corner"
  | "corners"
  | "corner-places"
  | "edge"
  | "edges"
  | "edges-or-sides"
  | "sides"
  | "blocks"
  | "faces"
  | "proposals";

export interface Field {
  name: string;
  title: string;
  help: string;
  /** What kind of guide or file the field is for: curve, surface, points, geometry, patch, region; or any. */
  of: string;
  widget: Widget;
  unit: string;
  choices: string[];
  optional: boolean;
  required: boolean;
  fallback: unknown;
  when: Record<string, string[]>;
}

export interface Kind {
  kind: string;
  verb: string;
  stage: string;
  key: string;
  sentence: string;
  family: string;
  /** What it changes: guides, blocks, spacing, the grid (a run), the plane (a lift), names, or nothing. */
  changes: string;
  /** Other words of the trade that it is found by. */
  known_as: string[];
  about: string;
  fields: Field[];
}

interface Node {
  type?: string;
  title?: string;
  description?: string;
  enum?: string[];
  const?: string;
  anyOf?: Node[];
  $ref?: string;
  default?: unknown;
  widget?: Widget;
  unit?: string;
  of?: string;
  when?: Record<string, string | string[]>;
  properties?: Record<string, Node>;
  required?: string[];
  plodek?: {
    order: number;
    stage: string;
    verb: string;
    key: string;
    sentence: string;
    family: string;
    changes: string;
    known_as: string[];
  };
}

const INNER = new Set(["kind", "id"]);

/** Reads the kinds of steps out of the recipe's JSON schema, by kind. */
export function kindsOf(schema: { $defs?: Record<string, unknown> }): Map<string, Kind> {
  const found = new Map<string, Kind>();
  const nodes = Object.values(schema.$defs ?? {}) as Node[];
  nodes.sort((a, b) => (a.plodek?.order ?? 0) - (b.plodek?.order ?? 0));
  for (const node of nodes) {
    const kind = node.properties?.kind?.const;
    if (!node.plodek || !kind) continue;
    const fields = Object.entries(node.properties ?? {})
      .filter(([name]) => !INNER.has(name))
      .map(([name, field]) => fieldOf(name, field, node.required ?? []));
    found.set(kind, { kind, ...node.plodek, about: node.description ?? "", fields });
  }
  return found;
}

function fieldOf(name: string, node: Node, required: string[]): Field {
  const parts = node.anyOf ?? [node];
  const optional = parts.some((part) => part.type === "null");
  const choices = parts.flatMap((part) => part.enum ?? (part.const ? [part.const] : []));
  const when = Object.fromEntries(
    Object.entries(node.when ?? {}).map(([other, values]) => [other, [values].flat()]),
  );
  const plain = choices.length
    ? "choice"
    : parts.some((part) => part.type === "integer")
      ? "integer"
      : parts.some((part) => part.type === "number")
        ? "number"
        : "text";
  return {
    name,
    title: node.title ?? name,
    help: node.description ?? "",
    widget: node.widget ?? plain,
    unit: node.unit ?? "",
    of: node.of ?? "",
    choices,
    optional,
    required: required.includes(name),
    fallback: node.default,
    when,
  };
}

/** Whether a field plays a part, given the other values of the step. */
export const plays = (field: Field, step: Record<string, unknown>, kind: Kind): boolean =>
  Object.entries(field.when).every(([other, values]) => {
    const set = step[other] ?? kind.fields.find((f) => f.name === other)?.fallback;
    return values.includes(String(set));
  });

/** A step without what plays no part in it: values of fields that are hidden with the choices made are not kept. */
export function inPlay(step: Step, kind: Kind): Step {
  const idle = kind.fields.filter((field) => !plays(field, step, kind)).map((field) => field.name);
  return Object.fromEntries(Object.entries(step).filter(([name]) => !idle.includes(name))) as Step;
}

/** Fields that take guides picked in the view. */
export const GUIDING: ReadonlySet<Widget> = new Set([
  "guide",
  "guides",
  "place-or-guide",
  "places",
  "corner-places",
]);

export const SELECTING: ReadonlySet<Widget> = new Set([
  "corner",
  "corners",
  "edge",
  "edges",
  "edges-or-sides",
  "sides",
  "blocks",
  "faces",
]);
