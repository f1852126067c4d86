import { useQueryClient } from "@tanstack/react-query";
import { useCallback } from "react";
import { http, type Problem, taken } from "../api/client";
import type { Step } from "../model/types";
import type { Of } from "../session/run";
import { toRun } from "../session/store";

let tickets = 0;
const nextTicket = () => {
  tickets += 1;
  return tickets;
};

/** What a run is asked for with. */
interface Asked {
  base: number;
  steps: Step[];
  upto: number | null;
  keep: boolean;
}

/** Gives what asks for a run, and whether it has begun; the answer counts as long as the board still waits for it. */
export function useAskRun(setProblem: (problem: string) => void) {
  const cache = useQueryClient();
  return useCallback(
    async (of: Of, body: Asked): Promise<boolean> => {
      const ticket = nextTicket();
      toRun({ what: "ask", of, ticket });
      const params = { path: { project: of.project } };
      try {
        const job = await taken(http.POST("/api/projects/{project}/builds", { params, body }));
        toRun({ what: "begun", ticket, job: job.id });
        return true;
      } catch (failed) {
        const { status, message } = failed as Problem;
        toRun({ what: "refused", ticket, why: message });
        if (status === 409) cache.invalidateQueries({ queryKey: ["recipe", of.project] });
        if (status !== 409 || body.keep) setProblem(message);
        return false;
      }
    },
    [cache, setProblem],
  );
}
