import { useEffect, useMemo } from "react";
import { Color, DoubleSide } from "three";
import { isRun } from "../../model/places";
import { edgeId, idOf } from "../../model/selection";
import type { Edge, Model } from "../../model/types";
import { useBoardData } from "../../session/context";
import { underWay } from "../../session/run";
import { useBoard } from "../../session/store";
import { usePalette } from "../../theme/mode";
import type { Extent } from "../extent";
import { ofPlane, ROLES, type Roles } from "../roles";
import { hatchOf, surfaceOf, Triangles } from "../spanned";
import { useDrawn } from "./drawn";
import { piecesOf, Segments } from "./segments";

/** Dashes are so long, as a share of all that is seen. */
const DASH = 0.008;

/** What the sides do in the run that is being set up: edges in the plane, faces and their rims in space. */
export function RoleMarks({ extent }: { extent: Extent }) {
  const { preview, kinds } = useBoardData();
  const kind = useBoard((board) => board.draft?.step.kind);
  const running = useBoard((board) => underWay(board.run));
  const model = useDrawn();
  if (!preview || running || !isRun(kinds.get(kind ?? ""))) return null;
  return preview.roles.map((roles) => (
    <Marked key={roles.role} roles={roles} model={model} extent={extent} />
  ));
}

function Marked({ roles, model, extent }: { roles: Roles; model: Model; extent: Extent }) {
  const palette = usePalette();
  const { colour, width, dashed, hatch } = ROLES[roles.role];
  const tint = palette[colour];
  const { origin } = extent;
  const { rims, faces } = useMemo(() => {
    const paths = new Map(model.edges.map((edge) => [edgeId(edge.id), edge.path]));
    const chosen = new Set(roles.sides);
    // Of free sides inside the volume there are too many to see anything by.
    const sides = model.sides.filter(
      (side) => chosen.has(idOf(side.id)) && (side.state === "outer" || roles.role !== "free"),
    );
    const faces = new Triangles();
    for (const side of sides) faces.add(surfaceOf(side, paths), origin, new Color(tint));
    const lines = sides.flatMap((side) =>
      hatch === "none" ? [] : hatchOf(side, paths, hatch === "crossed"),
    );
    // A run in the plane below a lift names the plane's corners, on which those of the lift stand.
    const foot = new Map(model.corners.map((corner) => [corner.id, corner.foot ?? corner.id]));
    const stands = (edge: Edge) => edge.id.map((corner) => foot.get(corner) ?? corner).sort();
    const edges = model.edges.filter((edge) => chosen.has(edgeId(stands(edge))));
    const drawn = [...edges.map((edge) => edge.path), ...lines];
    return { rims: piecesOf(drawn, origin), faces: faces.mesh() };
  }, [model, roles, origin, tint, hatch]);
  useEffect(() => () => faces.dispose(), [faces]);
  return (
    <>
      <mesh geometry={faces} raycast={() => null} renderOrder={6}>
        <meshBasicMaterial
          color={tint}
          transparent
          opacity={0.3}
          side={DoubleSide}
          depthWrite={false}
          polygonOffset
          polygonOffsetFactor={-2}
          polygonOffsetUnits={-2}
        />
      </mesh>
      <Segments
        points={rims}
        color={tint}
        width={ofPlane(roles) ? width : 1.2}
        order={14}
        dashed={dashed}
        hide={!ofPlane(roles)}
        dash={DASH * Math.hypot(...extent.half)}
      />
    </>
  );
}
