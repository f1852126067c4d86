import { useEffect, useState } from "react";
import type { Job } from "./client";

/** Watches a job by server-sent events; gives its newest state, null before the first. */
export function useJob(id: string | null): Job | null {
  const [job, setJob] = useState<Job | null>(null);
  useEffect(() => {
    setJob(null);
    if (!id) return;
    const events = new EventSource(`/api/jobs/${id}/events`);
    events.onmessage = (event) => {
      const told: Job = JSON.parse(event.data);
      setJob(told);
      if (ended(told)) events.close();
    };
    return () => events.close();
  }, [id]);
  return id ? job : null;
}

export const ended = (job: Job): boolean => ["done", "stopped", "failed"].includes(job.state);
