import { createContext, useContext } from "react";
import type { Change, LengthUnit } from "../api/queries";
import type { Picture } from "../model/picture";
import type { Ground } from "../model/places";
import type { Kind } from "../model/schema";
import type { ShapePicture } from "../model/shape_picture";
import type { Job, Model, Preview, Quality, RecipeState, Step } from "../model/types";

/** What the parts of the board share: the project as the server holds it, and what can be done to it. */
export interface BoardData {
  project: number;
  recipe: RecipeState;
  steps: Step[];
  model: Model;
  kinds: Map<string, Kind>;
  /** What the layout stands on, after a lift. */
  ground: Ground;
  quality: Quality | null;
  /** The quality of the grid as filled, where it is smoothed and that is looked at. */
  filled: Quality | null;
  grid: Picture | null;
  gridProblem: string;
  /** What of the grid is being worked out for the first time; empty where nothing is. */
  doing: string;
  preview: Preview | null;
  previewGrid: Picture | null;
  /** The surfaces, and those that the draft would add or change. */
  shape: ShapePicture | null;
  previewShape: ShapePicture | null;
  /** The problem of the last edit, until the next. */
  problem: string;
  busy: boolean;
  /** The smoothing run under way, or the last one. */
  job: Job | null;
  /** Keeps a change of the steps; one made while another is being kept waits for it. */
  keepSteps: (change: Change, then?: () => void) => Promise<void>;
  keepDraft: () => void;
  run: () => void;
  /** Why the grid has not been smoothed, where a run ended without it and waits to be asked for again; else "". */
  notRun: string;
  runAgain: () => void;
  stop: () => void;
  undo: () => void;
  redo: () => void;
  begin: (kind: string, values?: Record<string, unknown>) => void;
  edit: (id: string, field?: string | null) => void;
  /** Gives a guide another name wherever it is named. */
  rename: (guide: string, to: string) => void;
  /** Keeps an earlier revision again, on top of the present one. */
  bringBack: (revision: number) => void;
  changeUnit: (unit: LengthUnit, meaning: "convert" | "keep") => void;
  cancel: () => void;
}

export const BoardContext = createContext<BoardData | null>(null);

export function useBoardData(): BoardData {
  const data = useContext(BoardContext);
  if (!data) throw new Error("outside the board");
  return data;
}
