/** What sides do during a run, as it is told and drawn: in words, by colour and by pattern. */
import { cornersOf } from "../model/selection";
import type { Preview } from "../model/types";
import type { Palette } from "../theme/palette";

export type Roles = Preview["roles"][number];
export type Role = Roles["role"];

interface Drawn {
  /** What one side does, and what several do; what they stay on follows `on`, if it is a guide. */
  words: [string, string];
  on: string;
  colour: keyof Palette;
  width: number;
  dashed: boolean;
  /** How their faces are hatched in space. */
  hatch: "none" | "lines" | "crossed";
}

/** By role, in the order in which they are told. */
export const ROLES: Record<Role, Drawn> = {
  wall: {
    words: ["keeps first heights", "keep first heights"],
    on: "",
    colour: "teal",
    width: 5,
    dashed: false,
    hatch: "lines",
  },
  wake: {
    words: ["holds, with heights on both sides", "hold, with heights on both sides"],
    on: "",
    colour: "teal",
    width: 4,
    dashed: true,
    hatch: "crossed",
  },
  hold: {
    words: ["holds its nodes", "hold their nodes"],
    on: "",
    colour: "ink",
    width: 3.4,
    dashed: false,
    hatch: "none",
  },
  glide: {
    words: ["glides", "glide"],
    on: "on",
    colour: "rust",
    width: 4.4,
    dashed: true,
    hatch: "lines",
  },
  move: {
    words: ["moves by itself", "move by themselves"],
    on: "within",
    colour: "plum",
    width: 4.4,
    dashed: false,
    hatch: "crossed",
  },
  free: {
    words: ["is free, as inner nodes", "are free, as inner nodes"],
    on: "",
    colour: "ochre",
    width: 2.6,
    dashed: true,
    hatch: "lines",
  },
};

/** Gives the roles that sides have, in the order of the table. */
export const told = (roles: readonly Roles[]): Roles[] =>
  Object.keys(ROLES).flatMap((role) => roles.filter((one) => one.role === role));

/** Whether they are those of a plane: its edges. */
export const ofPlane = (roles: Roles): boolean => cornersOf(roles.sides[0] ?? "").length === 2;
