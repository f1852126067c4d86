import type { Step } from "./types";

/** What a first height is asked for with, as typed; kept while the project is open. */
export interface WallWish {
  speed: string;
  length: string;
  fluid: "water" | "air" | "typed";
  celsius: string;
  density: string;
  viscosity: string;
  yPlus: string;
  growth: string;
  friction: "Schlichting" | "White";
}

export const WALL_WISH: WallWish = {
  speed: "2",
  length: "1 m",
  fluid: "water",
  celsius: "20",
  density: "998",
  viscosity: "0.001",
  yPlus: "1",
  growth: "1.2",
  friction: "Schlichting",
};

/** What is asked for where nothing has been typed: the flow that the recipe sets, if it does. */
export function wishOf(steps: Step[]): WallWish {
  const flow = steps.findLast((step) => step.kind === "flow");
  if (!flow) return WALL_WISH;
  const told = Object.entries(WALL_WISH).map(([name, usual]) => {
    const own = flow[name];
    return [name, own === undefined || own === null ? usual : String(own)];
  });
  return Object.fromEntries(told) as unknown as WallWish;
}
