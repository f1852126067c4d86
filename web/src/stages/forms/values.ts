/** Between what is typed in a field and the value a step holds. */

import { lengthIn } from "../../model/numbers";
import type { Field } from "../../model/schema";
import { valueText } from "../../model/sentences";

/** What every field of a form takes: its value, and whether it takes what is picked in the view. */
export interface FieldProps {
  field: Field;
  value: unknown;
  active: boolean;
  change: (value: unknown) => void;
  take: () => void;
}

/** Fields whose bare numbers are in the project's unit. */
const LENGTHS: ReadonlySet<string> = new Set([
  "length",
  "lengths",
  "place",
  "place-or-guide",
  "places",
]);

/** The project's unit behind the label of a field of lengths, where the field has no unit of its own. */
export function unitBehind(field: Field, unit: string) {
  if (field.unit || !LENGTHS.has(field.widget)) return {};
  return { _after: { content: `" (${unit})"`, color: "muted" } };
}

export type Read = { value: unknown } | { problem: string };

const number = (text: string): number | null => {
  const value = Number(text.replace(",", "."));
  return text.trim() !== "" && Number.isFinite(value) ? value : null;
};

/** A length keeps its unit as text; a bare number becomes one. */
const lengthOf = (text: string): unknown => number(text) ?? text.trim();
const isLength = (text: string): boolean => lengthIn(text, "m") !== null;

const lengths = (text: string): Read => {
  const parts = text.split(/[,;]\s*|\s{2,}/).filter((part) => part.trim() !== "");
  const wrong = parts.find((part) => !isLength(part));
  return wrong ? { problem: `“${wrong}” is not a length` } : { value: parts.map(lengthOf) };
};

const coordinates = (text: string): Read => {
  const read = lengths(text);
  if ("problem" in read) return read;
  const count = (read.value as unknown[]).length;
  return count === 2 || count === 3 ? read : { problem: "give x, y or x, y, z" };
};

/** Coordinates, or a guide with a fraction of its length: “axis @ 0.25”. */
const place = (text: string): Read => {
  const on = /^\s*([A-Za-z][\w.-]*)\s*(?:@\s*([\d.]+))?\s*$/.exec(text);
  return on ? { value: { guide: on[1], fraction: Number(on[2] ?? 0) } } : coordinates(text);
};

/** The corners there are: the id and the label of each. */
export type CornerLabels = readonly (readonly [string, string])[];

/** Reads what was typed; an empty field is left out. */
export function readText(field: Field, text: string, corners: CornerLabels = []): Read {
  if (text.trim() === "") return { value: undefined };
  switch (field.widget) {
    case "number":
    case "fraction": {
      const value = number(text);
      return value === null ? { problem: "not a number" } : { value };
    }
    case "integer": {
      const value = number(text);
      return value === null || !Number.isInteger(value)
        ? { problem: "not a whole number" }
        : { value };
    }
    case "length":
      return isLength(text) ? { value: lengthOf(text) } : { problem: "not a length, such as 6 mm" };
    case "lengths":
      return lengths(text);
    case "direction":
    case "numbers": {
      const parts = text.split(/[,;\s]+/).filter((part) => part !== "");
      const values = parts.map(number);
      if (values.some((v) => v === null)) return { problem: "not numbers" };
      return field.widget === "numbers" || values.length === 3
        ? { value: values }
        : { problem: "give x, y, z" };
    }
    case "table": {
      const rows = text.split(/\n|\s*;\s*/).filter((row) => row.trim() !== "");
      const read = rows.map((row) =>
        row
          .split(/[\s,]+/)
          .filter(Boolean)
          .map(Number),
      );
      const wrong = read.findIndex((row) => row.length !== 2 || !row.every(Number.isFinite));
      return wrong < 0
        ? { value: read }
        : { problem: `line ${wrong + 1} is not a place and a size, such as 0.5 2` };
    }
    case "corner-places":
    case "places": {
      const rows = text.split(/\n|\s*;\s*/).filter((row) => row.trim() !== "");
      const read = rows.map((row) => {
        const corner = corners.find(([, label]) => label === row.trim());
        return corner && field.widget === "corner-places"
          ? { value: { ids: [corner[0]] } }
          : place(row);
      });
      const wrong = read.find((one) => "problem" in one);
      return wrong ?? { value: read.map((one) => (one as { value: unknown }).value) };
    }
    case "place":
    case "place-or-guide": {
      if (field.widget === "place-or-guide") return place(text);
      return coordinates(text);
    }
    case "patch-name":
      return /^[A-Za-z][A-Za-z0-9_-]{0,31}$/.test(text)
        ? { value: text }
        : { problem: "letters, digits, _ and - only, no spaces, beginning with a letter" };
    default:
      return { value: text };
  }
}

/** Shows a value as it would be typed. */
export function showText(field: Field, value: unknown, corners: CornerLabels = []): string {
  if (field.widget === "place-or-guide") return placeText(value);
  if (field.widget === "table" && Array.isArray(value))
    return value.map((row) => (row as number[]).join("  ")).join("\n");
  if (["places", "corner-places"].includes(field.widget) && Array.isArray(value))
    return value.map((one) => placeText(one, corners)).join("\n");
  return valueText(value, {});
}

function placeText(value: unknown, corners: CornerLabels = []): string {
  if (!value || Array.isArray(value)) return valueText(value, {});
  if (typeof value === "object" && "ids" in value) {
    const id = (value.ids as string[])[0] ?? "";
    return corners.find((corner) => corner[0] === id)?.[1] ?? id;
  }
  const on = value as { guide: string; fraction?: number };
  return on.fraction ? `${on.guide} @ ${on.fraction}` : on.guide;
}
