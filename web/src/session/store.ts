import { create } from "zustand";
import {
  type Hit,
  type Layer,
  type LookFrom,
  onlyInSpace,
  type Part,
  type Point,
} from "../model/looking";
import type { Measurement } from "../model/measuring";
import { NOTHING, type Selection } from "../model/selection";
import type { Stage } from "../model/stage_words";
import type { Cell, Model, Other, Section, Step } from "../model/types";
import type { WallWish } from "../model/wall_wish";
import { after, type Event, NO_RUN, type Run } from "./run";

/** A step that is being written or changed, not kept yet. */
export interface Draft {
  step: Step;
  isNew: boolean;
  /** Whether a new step comes after the runs that are there, and works on the smoothed grid. */
  late?: boolean;
  /** The field that takes what is picked in the view. */
  field: string | null;
  /** The field that was asked for, and is ready for typing. */
  focus?: string;
}

/** Cells whose metric is no better than a value. */
export interface Condition {
  metric: string;
  /** The bounds of its values; to any where there is none. */
  low: number | null;
  high: number | null;
}

/** Another state, and how its picture is shown: beside the present one, in its place, or not at all. */
export interface Against {
  other: Other;
  show: "beside" | "instead" | "not";
}

/** Cells that meet all conditions, at a patch where one is named, with so many neighbours, and how they are drawn. */
export interface Choice {
  conditions: Condition[];
  patch: string;
  grown: number;
  shrunk: boolean;
}

/** The flow of a dry run, and which field of it is shown. */
export interface ShownField {
  job: string;
  name: "speed" | "potential";
}

interface BoardState {
  stage: Stage;
  layer: Layer;
  /** Steps after this index are not looked at; null looks at all. */
  here: number | null;
  draft: Draft | null;
  selection: Selection;
  metric: string;
  numbers: boolean;
  /** How far the grid on view is smoothed: 0 as filled, 1 as the runs have left it. */
  share: number;
  space: boolean;
  shown: Cell[];
  target: { at: number[]; size: number; turn: number } | null;
  finding: boolean;
  /** What is under the cursor. */
  hit: Hit | null;
  /** Guides that are not shown. */
  hidden: string[];
  /** Which panel of the Shape stage is open. */
  shapePanel: "Guides" | "Mend";
  /** Measurements on view, the newest first. */
  measured: Measurement[];
  /** What is to be measured: places and guides, as typed or picked. */
  measureOf: string;
  /** Free edges that the mending panel shows in the view. */
  freeEdges: number[][][];
  /** Where the camera looks from in space, and through which lens. */
  from: LookFrom;
  perspective: boolean;
  /** How far the blocks stand apart, as a share of their distance from the middle. */
  explode: number;
  /** Whether the plan of the blocks is shown, and the tier whose sheet it shows in space. */
  plan: boolean;
  planTier: string | null;
  seeThrough: boolean;
  /** The part of the extent that is shown, as shares along x, y and z; null shows all. */
  clip: [number, number][] | null;
  part: Part;
  /** What the grid is cut with, where sections are looked at. */
  sections: Section[];
  /** The cells that are looked at alone. */
  choice: Choice;
  /** Title and note of the report. */
  words: { title: string; note: string };
  /** The state that the present one is compared with, and how it is shown. */
  against: Against | null;
  /** What the bars of the histogram hold, and whether they are by even factors; as the metric asks if null. */
  bars: { by: "cells" | "volume"; log: boolean | null };
  /** The cell in hand, by its number in the grid. */
  probe: number | null;
  /** All that lies under the cursor where the list of it was asked for. */
  crowd: { at: Point; hits: Hit[] } | null;
  /** Whether the chart shows the whole chain of the edge in hand. */
  chained: boolean;
  /** What the edges are coloured by in Spacing. */
  edgesBy: "plain" | "size" | "growth";
  /** What the help with first heights is asked for; what the recipe says flows, if nothing is typed. */
  wall: WallWish | null;
  /** The flow that is shown in the place of the patches. */
  field: ShownField | null;
  /** The patch that is shown alone. */
  alone: string | null;
  /** Whether the draft is being kept: a second Enter meanwhile does nothing. */
  keeping: boolean;
  /** The run over the grid that is watched. */
  run: Run;
  set: (change: Partial<BoardState>) => void;
}

const START = {
  stage: "Shape" as Stage,
  layer: "Blocks" as Layer,
  here: null,
  draft: null,
  selection: NOTHING,
  metric: "scaled_jacobian",
  numbers: false,
  share: 1,
  space: true,
  shown: [],
  target: null,
  finding: false,
  hit: null,
  hidden: [],
  shapePanel: "Guides" as const,
  measured: [],
  measureOf: "",
  freeEdges: [],
  from: "oblique" as LookFrom,
  perspective: false,
  explode: 0,
  plan: false,
  planTier: null,
  seeThrough: false,
  clip: null,
  part: { kind: "all" } as Part,
  sections: [] as Section[],
  choice: { conditions: [], patch: "", grown: 0, shrunk: true } as Choice,
  words: { title: "", note: "" },
  against: null as Against | null,
  bars: { by: "cells", log: null } as BoardState["bars"],
  probe: null,
  crowd: null,
  chained: false,
  edgesBy: "plain" as const,
  wall: null as WallWish | null,
  field: null as ShownField | null,
  alone: null as string | null,
  keeping: false,
  run: NO_RUN,
};

/** The state of the screen; what the server holds lives in the query cache. */
export const useBoard = create<BoardState>((set) => ({ ...START, set: (change) => set(change) }));

/** Lets something happen to the run; gives nothing back, since the screen follows the store. */
export const toRun = (event: Event) =>
  useBoard.setState((board) => ({ run: after(board.run, event) }));

export const resetBoard = () => useBoard.setState({ ...START });

/** The layer that shows best what a stage is about. */
const LAYER: Record<Stage, Layer> = {
  Shape: "Blocks",
  Blocks: "Blocks",
  Spacing: "Cells",
  Smooth: "Cells",
  Check: "Quality",
  "Hand-off": "Patches",
};

/** Goes to a stage, the same from the route, by key and by name: nothing in hand, its layer on view. */
export const goToStage = (stage: Stage, model: Model) =>
  useBoard.setState({
    stage,
    layer: LAYER[stage],
    draft: null,
    selection: NOTHING,
    shown: [],
    probe: null,
    alone: null,
    // Smoothing shows the grid that it works on: the plane where there is one, until space is smoothed.
    space: stage !== "Smooth" || onlyInSpace(model) || model.smoothing_in_space > 0,
  });
