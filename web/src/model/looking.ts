/** What the camera looks from, what the view shows, and what lies under the cursor. */
import type { Taken } from "./selection";
import type { Model } from "./types";

export type LookFrom = "oblique" | "+x" | "−x" | "+y" | "−y" | "+z" | "−z";

export type Layer = "Blocks" | "Cells" | "Quality" | "Patches";

/** What of a grid is shown: all outer faces, chosen blocks, a layer of a tier, sections, or chosen cells. */
export type Part =
  | { kind: "all" }
  | { kind: "blocks"; ids: string[] }
  | { kind: "layer"; tier: string; at: number }
  | { kind: "sections" }
  | { kind: "chosen" };

/** Whether the blocks were made in space, with no plane grid that they were lifted from. */
export const onlyInSpace = (model: Model): boolean => model.dim === 3 && model.plane_step === null;

/** Something under the cursor. */
export interface Hit {
  kind: Taken;
  id: string;
  words: string;
}

/** Pixels, and how far behind the view's front. */
export type Point = [number, number, number?];
