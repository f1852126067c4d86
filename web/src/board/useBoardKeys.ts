import { useLayoutEffect } from "react";
import { NOTHING } from "../model/selection";
import { STAGES, type Stage } from "../model/stage_words";
import { useBoardData } from "../session/context";
import { typing } from "../session/keys";
import { goToStage, useBoard } from "../session/store";

const letGo = () => (document.activeElement as HTMLElement | null)?.blur();

/** Listens to the keys of the board: the stage's verbs by letter, undo, stages, keep and back out. */
export function useBoardKeys() {
  const data = useBoardData();
  // Before the screen is painted: a key pressed at once must not be lost.
  useLayoutEffect(() => {
    const press = (event: KeyboardEvent) => {
      const board = useBoard.getState();
      const held = event.ctrlKey || event.metaKey;
      const key = event.key.toLowerCase();
      const does = (work: () => void) => {
        event.preventDefault();
        work();
      };
      if (held && key === "k") return does(() => board.set({ finding: !board.finding }));
      if (board.finding) return;
      if (held && key === "z" && !typing(event))
        return does(event.shiftKey ? data.redo : data.undo);
      if (held && key === "y" && !typing(event)) return does(data.redo);
      if (event.altKey && /^[1-6]$/.test(event.key))
        return does(() => goToStage(STAGES[Number(event.key) - 1] as Stage, data.model));
      if (event.key === "Escape") return does(() => backOut());
      // A list takes no Enter of its own, and passes none on to the form.
      if (event.key === "Enter" && event.repeat) return does(() => undefined); // held down
      if (
        event.key === "Enter" &&
        board.draft &&
        (event.target as HTMLElement).tagName === "SELECT"
      )
        return does(data.keepDraft);
      if (held || event.altKey || typing(event)) return;
      if (
        event.key === "Enter" &&
        board.draft &&
        (event.target as HTMLElement).tagName !== "BUTTON"
      )
        return does(data.keepDraft);
      if (event.key === "#") return does(() => board.set({ numbers: !board.numbers }));
      const verb = [...data.kinds.values()].find(
        (kind) =>
          kind.stage === board.stage &&
          kind.key.toLowerCase() === (event.shiftKey ? `⇧${key}` : key),
      );
      if (verb)
        does(() => {
          letGo(); // Enter is to keep the step, not to press again what was pressed before
          data.begin(verb.kind);
        });
    };
    const backOut = () => {
      const board = useBoard.getState();
      letGo();
      if (board.draft) data.cancel();
      else if (board.crowd) board.set({ crowd: null });
      else if (board.probe !== null) board.set({ probe: null, shown: [] });
      else if (board.shown.length) board.set({ shown: [] });
      else if (board.selection.ids.length) board.set({ selection: NOTHING });
      else if (board.here !== null) board.set({ here: null });
    };
    window.addEventListener("keydown", press);
    return () => window.removeEventListener("keydown", press);
  }, [data]);
}
