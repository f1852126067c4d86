import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import { keepSections, useKeptSections } from "../api/sections";
import { useBoard } from "../session/store";

/** Milliseconds that sections rest before they are kept. */
const REST = 700;

/** Brings a project's sections to the board, and keeps them when they have changed, unless one may only look. */
export function useSectionsKept(project: number, lookOnly: boolean) {
  const cache = useQueryClient();
  const kept = useKeptSections(project).data?.sections;
  const sections = useBoard((board) => board.sections);
  const known = useRef<typeof sections | null>(null);
  useEffect(() => {
    if (!kept || known.current) return;
    known.current = kept;
    useBoard.setState({ sections: kept });
  }, [kept]);
  useEffect(() => {
    if (!known.current || known.current === sections || lookOnly) return;
    const timer = setTimeout(() => {
      known.current = sections;
      // What is found here when the project is opened again, without asking the server.
      cache.setQueryData(["sections", project], { sections });
      void keepSections(project, sections).catch(() => {
        known.current = []; // tried again with the next change
      });
    }, REST);
    return () => clearTimeout(timer);
  }, [cache, project, sections, lookOnly]);
}
