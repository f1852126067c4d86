/** What can be chosen in a field for a file: how the files are told by their names, and how they are sent. */
export interface FileKind {
  fits: RegExp;
  /** Read at once, or by a job. */
  sent: "at once" | "by a job";
  /** What the dialogue for files offers. */
  accept?: string;
  label: string;
  hint: string;
  /** What is said to a file of another kind. */
  other: string;
}

const GEOMETRY = ["step", "stp", "iges", "igs", "stl", "obj", "dxf"];
const GRIDS = ["cgns", "xyz", "p3d", "x", "g", "vts", "vtr", "vtu", "vtk", "vtkhdf", "zip"];

const ending = (endings: string[]) => new RegExp(`\\.(${endings.join("|")})$`, "i");
const dotted = (endings: string[]) => endings.map((one) => `.${one}`).join(",");

export const FILE_KINDS: Record<string, FileKind> = {
  geometry: {
    fits: ending(GEOMETRY),
    sent: "by a job",
    accept: dotted(GEOMETRY),
    label: "Geometry file from disk",
    hint: "STEP, IGES, STL, OBJ or DXF.",
    other: "use “Read points”, or “Start from a grid” in Blocks",
  },
  grid: {
    fits: ending(GRIDS),
    sent: "by a job",
    accept: dotted(GRIDS),
    label: "Grid file from disk",
    hint: "CGNS, PLOT3D, VTK or VTKHDF; what consists of several files (.vtm, XDMF, a map) as one ZIP.",
    other: "take a grid, and where it consists of several files a ZIP file of them",
  },
  map: {
    fits: /\.map\.json$/i,
    sent: "at once",
    accept: ".json",
    label: "Map from disk",
    hint: "The map that was written beside a PLOT3D file (.map.json).",
    other: "a map (.map.json) is wanted here",
  },
  recipe: {
    fits: /^(?!.*\.map\.json$).*\.json$/i,
    sent: "at once",
    label: "Recipe from disk",
    hint: "A recipe as it is downloaded (.json).",
    other: "a recipe (.json) is wanted here",
  },
  points: {
    fits: new RegExp(
      `^(?!.*\\.(json|${[...GEOMETRY, ...GRIDS].filter((one) => one !== "xyz").join("|")})$)`,
      "i",
    ),
    sent: "at once",
    label: "Point file from disk",
    hint: "One place per row, x y or x y z; an empty row begins another curve; # comments.",
    other: "use “Bring in”",
  },
};
