import { useMemo } from "react";
import { Vector3 } from "three";
import { useOtherPicture } from "../../api/comparison";
import { useSectionPicture } from "../../api/sections";
import { useBoardData } from "../../session/context";
import { useBoard } from "../../session/store";
import { type Extent, lookFrom, seenHalf, upFor } from "../extent";
import { useSections } from "./useSections";

/** How far to the right, of its width, the other state stands beside the present one. */
const BESIDE = 1.12;

/** The pictures of the state that is compared with, and where it is drawn; none where it is not shown. */
export function useAgainst(extent: Extent, spatial: boolean) {
  const { project, recipe, grid } = useBoardData();
  const { against, here, layer, metric, from } = useBoard((board) => board);
  const { shown } = useSections();
  const seen = against && against.show !== "not" && grid && layer !== "Blocks" ? against : null;
  const other = seen?.other ?? null;
  const wish = { upto: here, metric: layer === "Quality" ? metric : null };
  const outside = useOtherPicture(project, recipe.revision, wish, other);
  const sections = other ? shown : [];
  const cut = useSectionPicture(
    project,
    recipe.revision,
    { ...wish, smoothed: true, ...(other && { other }) },
    sections,
  );
  const shift = useMemo(() => {
    if (seen?.show !== "beside") return new Vector3();
    const right = new Vector3().crossVectors(upFor(spatial, from), lookFrom(spatial, from));
    return right.normalize().multiplyScalar(2 * BESIDE * seenHalf(extent.half, spatial, from)[0]);
  }, [seen?.show, extent, spatial, from]);
  return {
    show: seen?.show ?? "not",
    outside: other ? (outside.data ?? null) : null,
    cut: sections.length ? (cut.data ?? null) : null,
    shift,
  };
}
