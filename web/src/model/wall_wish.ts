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
