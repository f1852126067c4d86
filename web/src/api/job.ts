import { useEffect, useState } from "react";
import type { Job } from "../model/types";
import { http, taken } from "./client";

/** Milliseconds between two looks at a job. */
const LOOK = 200;

/** Watches a job: asks how it stands until it has ended; null before the first answer. */
export function useJob(id: string | null): Job | null {
  const [job, setJob] = useState<Job | null>(null);
  useEffect(() => {
    setJob(null);
    if (!id) return;
    let timer = 0;
    let gone = false;
    const look = async () => {
      const told = await taken(
        http.GET("/api/jobs/{job}", { params: { path: { job: id } } }),
      ).catch(
        () => null, // the server may be starting anew; the next look tells
      );
      if (gone) return;
      if (told) setJob(told);
      if (!told || !ended(told)) timer = window.setTimeout(look, LOOK);
    };
    void look();
    return () => {
      gone = true;
      window.clearTimeout(timer);
    };
  }, [id]);
  return id ? job : null;
}

export const ended = (job: Job): boolean => ["done", "stopped", "failed"].includes(job.state);
