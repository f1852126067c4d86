import { useThree } from "@react-three/fiber";
import { useEffect, useMemo } from "react";
import { type Mesh, Raycaster, Vector2 } from "three";
import type { Hit, Point } from "../model/looking";
import { ownerOf, type Picture } from "../model/picture";
import { edgeId, idOf, type Taken, takes } from "../model/selection";
import type { PiecesPicture } from "../model/types";
import { useBoardData } from "../session/context";
import { useBoard } from "../session/store";
import { takeIds } from "../session/taking";
import { edgesApart, outlinesOf } from "./apart";
import { useDrawn } from "./layers/drawn";
import { guideHit, guidesAt, hitAt, nearestOf, projector } from "./pick";

interface Props {
  origin: number[];
  solid: boolean;
  grid: Picture | null;
}

/**
 * Names what is under the cursor; a click takes it in hand, Shift adds, a double click takes the tier.
 * A right click lists all guides that lie under the cursor; with Alt a click takes a place to measure.
 */
export function Picker({ origin, solid, grid }: Props) {
  const { kinds } = useBoardData();
  const model = useDrawn();
  const explode = useBoard((board) => (board.layer === "Blocks" ? board.explode : 0));
  const { camera, gl, scene, size } = useThree();
  const drawn = useMemo(
    () => ({
      corners: explode > 0 ? [] : model.corners,
      edges: edgesApart(model, origin, explode),
      outlines: model.dim === 3 ? outlinesOf(model, origin, explode) : [],
    }),
    [model, origin, explode],
  );
  useEffect(() => {
    const canvas = gl.domElement;
    let down: Point | null = null;
    const field = () => {
      const { draft } = useBoard.getState();
      return kinds.get(draft?.step.kind ?? "")?.fields.find((f) => f.name === draft?.field);
    };
    const wanted = (): Taken[] | null => {
      const asked = field();
      const kinds = asked ? (takes[asked.widget] ?? null) : null;
      // In space a side is a face; an edge is one only where edges are wished too.
      const faces = model.dim === 3 && asked?.widget !== "edges-or-sides";
      return kinds?.includes("side") && faces ? ["side"] : kinds;
    };
    const place = (event: MouseEvent): Point => {
      const box = canvas.getBoundingClientRect();
      return [event.clientX - box.left, event.clientY - box.top];
    };
    const rayAt = (cursor: Point): Raycaster => {
      const ray = new Raycaster();
      const at = new Vector2((2 * cursor[0]) / size.width - 1, 1 - (2 * cursor[1]) / size.height);
      ray.setFromCamera(at, camera);
      return ray;
    };
    /** Where the cursor meets a mesh, from front to back; what is clipped away is passed over. */
    const hitsOn = (mesh: Mesh, cursor: Point) => {
      const planes = [mesh.material].flat()[0]?.clippingPlanes ?? [];
      return rayAt(cursor)
        .intersectObject(mesh)
        .filter((hit) => planes.every((plane) => plane.distanceToPoint(hit.point) >= 0));
    };
    /** The surfaces under the cursor from front to back, with the place. */
    const surfacesAt = (cursor: Point): { name: string; at: number[] }[] => {
      const mesh = scene.getObjectByName("surfaces") as Mesh | undefined;
      if (!mesh) return [];
      const owners = mesh.geometry.userData.owners as { name: string; end: number }[];
      const found = new Map<string, number[]>();
      for (const hit of hitsOn(mesh, cursor)) {
        const owner = owners.find((one) => (hit.faceIndex ?? 0) < one.end);
        const at = hit.point.toArray().map((v, n) => v + (origin[n] ?? 0));
        if (owner && !found.has(owner.name)) found.set(owner.name, at);
      }
      return [...found].map(([name, at]) => ({ name, at }));
    };
    const named = (name: string): Hit[] => {
      const guide = model.guides.find((one) => one.name === name);
      return guide ? [guideHit(guide)] : [];
    };
    const shown = () => {
      const off = new Set(useBoard.getState().hidden);
      return model.guides.filter((guide) => !off.has(guide.name));
    };
    const allGuides = (cursor: Point): Hit[] => {
      const to = projector(camera, size.width, size.height, origin);
      const surfaces = surfacesAt(cursor).flatMap(({ name }) => named(name));
      return [...guidesAt(shown(), to, cursor), ...surfaces];
    };
    /** Adds the place under the cursor to what is measured; the core puts it onto the guide exactly. */
    const takePlace = (cursor: Point) => {
      const to = projector(camera, size.width, size.height, origin);
      const line = guidesAt(shown(), to, cursor)[0]?.id;
      const guide = model.guides.find((one) => one.name === line);
      const first = guide
        ? { name: guide.name, at: nearestOf(guide, to, cursor) }
        : surfacesAt(cursor)[0];
      if (!first) return;
      const { measureOf } = useBoard.getState();
      const place = `${first.name} @ ${first.at.map((v) => Number(v.toPrecision(7))).join(", ")}`;
      useBoard.setState({ measureOf: measureOf ? `${measureOf}; ${place}` : place });
    };
    const find = (event: MouseEvent): Hit | null => {
      const cursor = place(event);
      const { stage, layer } = useBoard.getState();
      const want = wanted();
      const guides = want ? want.includes("guide") : stage === "Shape" && layer === "Blocks";
      if (guides) {
        const first = allGuides(cursor)[0];
        if (first || want) return first ?? null;
      }
      if (!solid) {
        const to = projector(camera, size.width, size.height, origin);
        return hitAt(model, drawn, to, cursor, want);
      }
      const mesh = scene.getObjectByName("grid") as Mesh | undefined;
      if (!mesh || !grid) return null;
      const hit = hitsOn(mesh, cursor)[0];
      if (hit?.faceIndex === undefined || hit.faceIndex === null) return null;
      const face = faceOf(mesh, hit.faceIndex);
      const id = grid.origins[grid.sides[face] as number];
      if (!id) return null;
      const patch = grid.patches[grid.groups[face] as number] ?? "unnamed";
      const side = model.sides.find((one) => idOf(one.id) === id);
      return { kind: "side", id, words: `${patch} · side ${side?.label ?? ""}` };
    };
    /** The cell under the cursor, where cells are looked at: of what is in front, a section or the outside. */
    const cellAt = (cursor: Point): number | null => {
      const { stage, layer, draft } = useBoard.getState();
      if (stage !== "Check" || layer !== "Quality" || draft) return null;
      const pieces = scene.getObjectByName("pieces") as Mesh | undefined;
      const mesh = pieces ?? (scene.getObjectByName("grid") as Mesh | undefined);
      const hit = mesh && hitsOn(mesh, cursor)[0];
      if (!mesh || hit?.faceIndex === undefined || hit.faceIndex === null) return null;
      if (!pieces) return grid?.face_cells?.[faceOf(mesh, hit.faceIndex)] ?? null;
      return ownerOf(mesh.userData.picture as PiecesPicture, hit.faceIndex);
    };
    const take = (hit: Hit | null, add: boolean, whole: boolean) => {
      const board = useBoard.getState();
      if (!hit) {
        if (!add && !board.draft)
          board.set({ selection: { kind: "edge", ids: [] }, shown: [], probe: null });
        return;
      }
      const tier = model.tiers.find((t) => t.edges.some((edge) => edgeId(edge) === hit.id));
      const ids = whole && hit.kind === "edge" && tier ? tier.edges.map(edgeId) : [hit.id];
      takeIds(kinds, hit.kind, ids, add);
    };
    const press = (event: PointerEvent) => {
      down = [event.clientX, event.clientY];
      useBoard.setState({ crowd: null });
    };
    const release = (event: PointerEvent) => {
      if (!down) return;
      const dragged = Math.hypot(event.clientX - down[0], event.clientY - down[1]) > 4;
      down = null;
      if (dragged) return;
      const { stage } = useBoard.getState();
      if (event.button === 0 && event.altKey && stage === "Shape") return takePlace(place(event));
      const cell = event.button === 0 ? cellAt(place(event)) : null;
      if (cell !== null) return useBoard.setState({ probe: cell });
      if (event.button === 0) take(find(event), event.shiftKey, false);
      if (event.button === 2) {
        const hits = allGuides(place(event));
        if (hits.length) useBoard.setState({ crowd: { at: place(event), hits } });
      }
    };
    const double = (event: MouseEvent) =>
      cellAt(place(event)) === null && take(find(event), event.shiftKey, true);
    const move = (event: PointerEvent) => {
      if (event.buttons) return;
      const hit = find(event);
      canvas.style.cursor = hit ? "pointer" : "default";
      if (hit?.id !== useBoard.getState().hit?.id) useBoard.setState({ hit });
    };
    const leave = () => useBoard.setState({ hit: null });
    const choose = (event: Event) =>
      takeIds(kinds, "guide", [(event as CustomEvent<string>).detail], false);
    canvas.addEventListener("pointerdown", press);
    canvas.addEventListener("pointerup", release);
    canvas.addEventListener("dblclick", double);
    canvas.addEventListener("pointermove", move);
    canvas.addEventListener("pointerleave", leave);
    window.addEventListener("take-guide", choose);
    return () => {
      canvas.removeEventListener("pointerdown", press);
      canvas.removeEventListener("pointerup", release);
      canvas.removeEventListener("dblclick", double);
      canvas.removeEventListener("pointermove", move);
      canvas.removeEventListener("pointerleave", leave);
      window.removeEventListener("take-guide", choose);
    };
  }, [model, drawn, kinds, camera, gl, scene, size, solid, grid, origin]);
  return null;
}

/** Which face of the grid a triangle of its mesh is half of: not all need be shown. */
const faceOf = (mesh: Mesh, triangle: number): number =>
  (mesh.geometry.userData.faces as number[])[Math.floor(triangle / 2)] ?? -1;
