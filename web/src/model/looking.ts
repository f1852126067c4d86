/** What the camera looks from, what the view shows, and what lies under the cursor. */
import type { Taken } from "./selection";

export type LookFrom = "oblique" | "+x" | "−x" | "+y" | "−y" | "+z" | "−z";

export type Layer = "Blocks" | "Cells" | "Quality" | "Patches";

/** What of a grid in space is shown: all its outer faces, chosen blocks, or the layer at a share of a tier. */
export type Part =
  | { kind: "all" }
  | { kind: "blocks"; ids: string[] }
  | { kind: "layer"; tier: string; at: number };

/** Something under the cursor. */
export interface Hit {
  kind: Taken;
  id: string;
  words: string;
}

/** Pixels, and how far behind the view's front. */
export type Point = [number, number, number?];
