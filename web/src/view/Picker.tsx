import { useThree } from "@react-three/fiber";
import { useEffect } from "react";
import { type Mesh, Raycaster, Vector2 } from "three";
import { useBoardData } from "../board/context";
import { useBoard } from "../board/store";
import type { Picture } from "../model/picture";
import { edgeId, picked, selectorOf, type Taken, takes } from "../model/selection";
import { useDrawn } from "./drawn";
import { type Hit, hitAt, projector } from "./pick";

interface Props {
  origin: number[];
  solid: boolean;
  grid: Picture | null;
  onHit: (hit: Hit | null) => void;
}

/** Names what is under the cursor; a click takes it in hand, Shift adds, a double click takes the tier. */
export function Picker({ origin, solid, grid, onHit }: Props) {
  const { kinds } = useBoardData();
  const model = useDrawn();
  const { camera, gl, scene, size } = useThree();
  useEffect(() => {
    const canvas = gl.domElement;
    let down: [number, number] | null = null;
    const wanted = (): Taken[] | null => {
      const { draft } = useBoard.getState();
      const field = kinds.get(draft?.step.kind ?? "")?.fields.find((f) => f.name === draft?.field);
      return field ? (takes[field.widget] ?? null) : null;
    };
    const find = (event: PointerEvent | MouseEvent): Hit | null => {
      const box = canvas.getBoundingClientRect();
      const cursor: [number, number] = [event.clientX - box.left, event.clientY - box.top];
      if (!solid)
        return hitAt(model, projector(camera, size.width, size.height, origin), cursor, wanted());
      const mesh = scene.getObjectByName("grid") as Mesh | undefined;
      if (!mesh || !grid) return null;
      const ray = new Raycaster();
      ray.setFromCamera(
        new Vector2((2 * cursor[0]) / size.width - 1, 1 - (2 * cursor[1]) / size.height),
        camera,
      );
      const hit = ray.intersectObject(mesh)[0];
      if (hit?.faceIndex === undefined || hit.faceIndex === null) return null;
      const face = Math.floor(hit.faceIndex / 2);
      const id = grid.origins[grid.sides[face] as number];
      if (!id) return null;
      const patch = grid.patches[grid.groups[face] as number] ?? "unnamed";
      const kind = /\|[01]$/.test(id) ? "end" : "edge";
      return {
        kind,
        id,
        words: `${patch} · ${kind === "end" ? "end of a block" : "side on an edge"}`,
      };
    };
    const take = (hit: Hit | null, add: boolean, whole: boolean) => {
      const board = useBoard.getState();
      if (!hit) {
        if (!add && !board.draft) board.set({ selection: { kind: "edge", ids: [] }, shown: [] });
        return;
      }
      const tier = model.tiers.find((t) => t.edges.some((edge) => edgeId(edge) === hit.id));
      const ids = whole && hit.kind === "edge" && tier ? tier.edges.map(edgeId) : [hit.id];
      const selection = picked(board.selection, hit.kind, ids, add);
      const draft = board.draft;
      const field = kinds.get(draft?.step.kind ?? "")?.fields.find((f) => f.name === draft?.field);
      const selector = field && selectorOf(selection, field.widget);
      board.set({
        selection,
        draft:
          draft && field && selector
            ? { ...draft, step: { ...draft.step, [field.name]: selector } }
            : draft,
      });
    };
    const press = (event: PointerEvent) => {
      down = [event.clientX, event.clientY];
    };
    const release = (event: PointerEvent) => {
      if (!down || event.button !== 0) return;
      const dragged = Math.hypot(event.clientX - down[0], event.clientY - down[1]) > 4;
      down = null;
      if (!dragged) take(find(event), event.shiftKey, false);
    };
    const double = (event: MouseEvent) => take(find(event), event.shiftKey, true);
    const move = (event: PointerEvent) => {
      if (event.buttons) return;
      const hit = find(event);
      canvas.style.cursor = hit ? "pointer" : "default";
      onHit(hit);
    };
    const leave = () => onHit(null);
    canvas.addEventListener("pointerdown", press);
    canvas.addEventListener("pointerup", release);
    canvas.addEventListener("dblclick", double);
    canvas.addEventListener("pointermove", move);
    canvas.addEventListener("pointerleave", leave);
    return () => {
      canvas.removeEventListener("pointerdown", press);
      canvas.removeEventListener("pointerup", release);
      canvas.removeEventListener("dblclick", double);
      canvas.removeEventListener("pointermove", move);
      canvas.removeEventListener("pointerleave", leave);
    };
  }, [model, kinds, camera, gl, scene, size, solid, grid, origin, onHit]);
  return null;
}
