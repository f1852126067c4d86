/** Keys that work everywhere on the board, and what they do; verbs bring their own letters. */
export const KEYS = [
  { key: "Ctrl K", does: "find anything" },
  { key: "Ctrl Z", does: "undo" },
  { key: "Ctrl Shift Z", does: "redo" },
  { key: "Alt 1 … 6", does: "go to a stage" },
  { key: "Enter", does: "keep the step" },
  { key: "Esc", does: "back out one level" },
  { key: "0", does: "fit the view" },
  { key: "#", does: "labels on and off" },
] as const;

/** Whether a key press belongs to a field that is being typed in. */
export const typing = (event: KeyboardEvent): boolean => {
  const at = event.target as HTMLElement;
  return ["INPUT", "SELECT", "TEXTAREA"].includes(at.tagName) || at.isContentEditable;
};
