import { expect, test } from "vitest";
import {
  after,
  type Event,
  jobOf,
  mayBegin,
  NO_RUN,
  overtaken,
  type Run,
  underWay,
  waits,
} from "../src/session/run";

const OF = { project: 1, revision: 4, upto: null };
const follow = (...events: Event[]): Run => events.reduce(after, NO_RUN);
const BEGUN: Event[] = [
  { what: "ask", of: OF, ticket: 7 },
  { what: "begun", ticket: 7, job: "a" },
];

test("a run is asked for, begins, and ends", () => {
  expect(jobOf(follow(...BEGUN))).toBe("a");
  expect(follow(...BEGUN, { what: "done", job: "a" })).toEqual(NO_RUN);
});

test("an answer that comes late, after the page has gone elsewhere, starts nothing and stops nothing", () => {
  const elsewhere = follow(BEGUN[0] as Event, { what: "leave" }, BEGUN[1] as Event);
  expect(elsewhere).toEqual(NO_RUN);
  const other = { ...OF, project: 2 };
  const newer = follow(BEGUN[0] as Event, { what: "ask", of: other, ticket: 8 }, BEGUN[1] as Event);
  expect(newer).toEqual({ state: "asked", of: other, ticket: 8 });
  expect(overtaken(newer, 2, 4)).toBeNull();
});

test.each(["failed", "stopped"] as const)("what has %s is not begun again by itself", (what) => {
  const ended = follow(...BEGUN, { what, job: "a", why: "x" });
  expect(mayBegin(ended, OF)).toBe(false);
  expect(waits(ended, OF)).toBe(true);
  expect(mayBegin(ended, { ...OF, revision: 5 })).toBe(true);
  expect(mayBegin(follow(...BEGUN, { what, job: "a", why: "x" }, { what: "leave" }), OF)).toBe(
    true,
  );
});

test("what a stop has kept is not run on by itself either: the runs after it wait to be asked for", () => {
  const kept = follow(...BEGUN, { what: "stopped", job: "a", why: "x", revision: 5 });
  expect(mayBegin(kept, { ...OF, revision: 5 })).toBe(false);
  expect(waits(kept, { ...OF, revision: 5 })).toBe(true);
});

test("a refusal is a failure: it is not asked again and again", () => {
  const refused = follow(BEGUN[0] as Event, { what: "refused", ticket: 7, why: "no" });
  expect(mayBegin(refused, OF)).toBe(false);
});

test("a newer recipe overtakes a run of the same project, and no other", () => {
  const run = follow(...BEGUN);
  expect(overtaken(run, 1, 5)).toBe("a");
  expect(overtaken(run, 1, 4)).toBeNull();
  expect(overtaken(run, 2, 9)).toBeNull();
});

test("whatever happens in whatever order, at most one run is under way, and only its own events move it", () => {
  const events: Event[] = [
    ...BEGUN,
    { what: "begun", ticket: 6, job: "b" },
    { what: "refused", ticket: 6, why: "" },
    { what: "done", job: "b" },
    { what: "failed", job: "b", why: "" },
  ];
  let seed = 30;
  const chance = () => {
    seed = (seed * 1103515245 + 12345) % 2147483648;
    return seed / 2147483648;
  };
  for (let round = 0; round < 500; round += 1) {
    let run: Run = NO_RUN;
    for (let step = 0; step < 8; step += 1) {
      run = after(run, events[Math.floor(chance() * events.length)] as Event);
      expect(jobOf(run)).not.toBe("b");
      expect(mayBegin(run, OF) && underWay(run)).toBe(false);
    }
  }
});
