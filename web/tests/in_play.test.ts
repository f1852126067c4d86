import { expect, test } from "vitest";
import { type Field, inPlay, type Kind } from "../src/model/schema";

const field = (name: string, when: Record<string, string[]> = {}, fallback?: unknown): Field =>
  ({ name, when, fallback }) as unknown as Field;

const frame = {
  fields: [
    field("shape", {}, "rectangle"),
    field("width", { shape: ["rectangle", "box"] }),
    field("outer", { shape: ["polar"] }),
  ],
} as unknown as Kind;

test("values of fields that are hidden with the choices made are not kept", () => {
  const step = { id: "f", kind: "frame", width: 2, outer: 3 };
  expect(inPlay(step, frame)).toEqual({ id: "f", kind: "frame", width: 2 });
  expect(inPlay({ ...step, shape: "polar" }, frame)).toEqual({
    id: "f",
    kind: "frame",
    shape: "polar",
    outer: 3,
  });
});
