import { useEffect, useState } from "react";
import type { Job } from "../model/types";
import { http, taken } from "./client";

/** Milliseconds between two looks at a job; more where the server is busy: so many times what a look takes. */
const LOOK = 200;
const TIMES = 20;

/** Watches a job: asks how it stands until it has ended; null before the first answer. */
export function useJob(id: string | null): Job | null {
  const [job, setJob] = useState<Job | null>(null);
  useEffect(() => {
    setJob(null);
    if (!id) return;
    let timer = 0;
    let gone = false;
    const look = async () => {
      const began = performance.now();
      const told = await taken(
        http.GET("/api/jobs/{job}", { params: { path: { job: id } } }),
      ).catch(
        () => null, // the server may be starting anew; the next look tells
      );
      if (gone) return;
      if (told) setJob(told);
      if (!told || !ended(told))
        timer = timer = window.setTimeout(
          look,
          Math.max(LOOK, TIMES * (performance.now() - began)),
        );
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
