/** The run over the grid that a board watches: where it stands, and what may happen to it. One machine owns it. */

/** What a run is of: a project's revision, as far as it is looked at. */
export interface Of {
  project: number;
  revision: number;
  upto: number | null;
}

export type Run =
  | { state: "none" }
  /** It has been asked for; the answer names its job. Only the answer to this very asking counts. */
  | { state: "asked"; of: Of; ticket: number }
  | { state: "running"; of: Of; job: string }
  /** It ended without a grid: it is not begun again by itself, as long as the recipe is the same. */
  | { state: "stopped" | "failed"; of: Of; why: string };

export type Event =
  | { what: "ask"; of: Of; ticket: number }
  | { what: "begun"; ticket: number; job: string }
  | { what: "refused"; ticket: number; why: string }
  | { what: "done"; job: string }
  | { what: "failed"; job: string; why: string }
  /** What it had reached may have been kept, as a revision. */
  | { what: "stopped"; job: string; why: string; revision?: number }
  | { what: "leave" };

export const NO_RUN: Run = { state: "none" };

/** Gives the run after something has happened; what is of another run than the one that is watched changes nothing. */
export function after(run: Run, event: Event): Run {
  switch (event.what) {
    case "ask":
      return { state: "asked", of: event.of, ticket: event.ticket };
    case "leave":
      return NO_RUN;
    case "begun":
    case "refused":
      if (run.state !== "asked" || run.ticket !== event.ticket) return run;
      return event.what === "begun"
        ? { state: "running", of: run.of, job: event.job }
        : { state: "failed", of: run.of, why: event.why };
    default:
      if (run.state !== "running" || run.job !== event.job) return run;
      if (event.what === "done") return NO_RUN;
      if (event.what === "failed" || event.revision === undefined)
        return { state: event.what, of: run.of, why: event.why };
      return { state: "stopped", of: { ...run.of, revision: event.revision }, why: event.why };
  }
}

/** The job that is watched; null while there is none. */
export const jobOf = (run: Run): string | null => (run.state === "running" ? run.job : null);

/** Whether a run is under way or about to be. */
export const underWay = (run: Run): boolean => run.state === "asked" || run.state === "running";

const same = (a: Of, b: Of): boolean =>
  a.project === b.project && a.revision === b.revision && a.upto === b.upto;

/** Whether a grid that has not been smoothed yet is smoothed by itself: not again what has failed or was stopped. */
export const mayBegin = (run: Run, of: Of): boolean =>
  !underWay(run) && (run.state === "none" || !same(run.of, of));

/** Whether what is asked for is not there because smoothing has not run yet. */
export const waitsForRun = (code: string | undefined): boolean => code === "not-run";

/** Whether it ended without a grid, and waits to be asked for again. */
export const waits = (run: Run, of: Of): boolean =>
  (run.state === "failed" || run.state === "stopped") && same(run.of, of);

/** The job of a run that a newer recipe has overtaken; null where none has. */
export const overtaken = (
  run: Run,
  project: number,
  revision: number | undefined,
): string | null =>
  run.state === "running" && run.of.project === project && run.of.revision !== revision
    ? run.job
    : null;
