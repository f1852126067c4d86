import { expect, test } from "vitest";
import { couldBeLate, type Ground, placed } from "../src/model/places";
import type { Kind } from "../src/model/schema";
import type { Step } from "../src/model/types";

const CHANGES = { frame: "blocks", cut: "blocks", smooth: "grid", extrude: "lift", patch: "names" };
const kinds = new Map(
  Object.entries(CHANGES).map(([kind, changes]) => [kind, { kind, changes } as unknown as Kind]),
);
const steps = (text: string): Step[] =>
  text.split(" ").map((kind, n) => ({ kind, id: `${kind}-${n}` }));
const told = (list: Step[]) =>
  list.map((step) => (step.id === "new" ? "NEW" : step.kind)).join(" ");
const on = (all: Step[], runs: number, inSpace = false): Ground => ({
  kinds,
  applied: all.length,
  runs,
  inSpace,
  corners: new Map(),
  blocks: new Map(),
});

test.each([
  ["frame smooth", 1, false, "frame NEW smooth"],
  ["frame smooth", 1, true, "frame smooth NEW"],
  // What has been cut on the smoothed grid is there after the run alone.
  ["frame smooth cut", 0, false, "frame smooth cut NEW"],
  ["frame smooth cut smooth", 1, false, "frame smooth cut NEW smooth"],
  ["frame smooth extrude", 1, true, "frame smooth NEW extrude"],
])("a cut to %s with %d runs to come goes where its blocks are", (text, runs, late, wanted) => {
  const all = steps(text);
  const step = { kind: "cut", id: "new" };
  expect(told(placed(all, step, all.length, on(all, runs), late))).toBe(wanted);
});

test("only what could stand on either side of a run is asked about", () => {
  const all = steps("frame smooth");
  const asked = (kind: string, runs: number) =>
    couldBeLate({ kind, id: "new" }, all, all.length, on(all, runs));
  expect([asked("cut", 1), asked("cut", 0), asked("patch", 1), asked("smooth", 1)]).toEqual([
    true,
    false,
    false,
    false,
  ]);
});
