/** What the server tells, by the names the screen has for it; made of the generated types. */
import type { components } from "../api/schema.gen";

type Schemas = components["schemas"];
export type Project = Schemas["ProjectOut"];
export type SharingState = Schemas["SharingOut"];
export type SharedAs = Project["role"];
export type RecipeState = Schemas["RecipeOut"];
export type Model = Schemas["ModelOut"];
export type Corner = Model["corners"][number];
export type Edge = Model["edges"][number];
export type Block = Model["blocks"][number];
export type Tier = Model["tiers"][number];
export type Guide = Model["guides"][number];
export type Preview = Schemas["PreviewOut"];
export type Effect = NonNullable<Preview["after"]>;
export type Advice = Schemas["AdvicesOut"]["advice"][number];
export type Quality = Schemas["QualityOut"];
export type Cell = Quality["worst"][number];
export type Probed = Schemas["ProbeOut"];
export type TableRow = Schemas["TableOut"]["rows"][number];
export type Job = Schemas["JobOut"];
export type HandoffWish = Schemas["HandoffIn"];
export type MadeHandoff = Schemas["HandoffsOut"]["handoffs"][number];
export type FileFormat = Schemas["SchemaOut"]["formats"][number];
export type GeometryFile = Schemas["FileOut"];
export type Group = Model["groups"][number];
export type Mending = Schemas["MendOut"];
export type Measured = Schemas["MeasureOut"];
export type Causes = Schemas["CausesOut"];
export type Comparison = Schemas["ComparisonOut"];
export type Other = Schemas["ComparisonIn"]["other"];
export type Revision = Schemas["RevisionsOut"]["revisions"][number];
export type Section = Schemas["SectionsOut"]["sections"][number];

/** Pieces of cells: polygons as triangles and outlines. */
export interface PiecesPicture {
  origin: [number, number, number];
  nodes: Float32Array;
  triangles: Uint32Array;
  lines: Uint32Array;
  /** The cell of each polygon. */
  cells: Uint32Array;
  /** Where the places of each polygon begin, and the end of all. */
  start: Uint32Array;
  values?: Float32Array;
}

/** What sections cut out of a grid, and what came of each of them. */
export interface SectionPicture extends PiecesPicture {
  told: { area: number; cells: number; problem: string }[];
}

/** Chosen cells, and where they are. */
export interface ChosenPicture extends PiecesPicture {
  /** By which share of their size they are drawn smaller: not where they are too many. */
  shrunk: number;
  where: {
    cells: number;
    volume: number;
    share: number;
    blocks: Record<string, number>;
    regions: Record<string, number>;
  };
}

export type Target = Schemas["MeasureIn"]["targets"][number];

/** A step as the recipe holds it: a kind, an id, and the fields of its kind. */
export interface Step {
  kind: string;
  id: string;
  [field: string]: unknown;
}
