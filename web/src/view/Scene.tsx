import { OrbitControls } from "@react-three/drei";
import { useThree } from "@react-three/fiber";
import { type RefObject, useEffect, useMemo, useRef } from "react";
import { MOUSE, type OrthographicCamera, Vector3 } from "three";
import type { OrbitControls as Controls } from "three-stdlib";
import { useBoardData } from "../board/context";
import { typing } from "../board/keys";
import { useBoard } from "../board/store";
import { CellBoxes } from "./CellBoxes";
import { Corners } from "./Corners";
import { Edges } from "./Edges";
import { Ghost } from "./Ghost";
import { GridMesh } from "./GridMesh";
import { Guides } from "./Guides";
import { Labels } from "./Labels";
import { LivePicture } from "./LivePicture";
import { Picker } from "./Picker";
import type { Hit } from "./pick";

interface Props {
  solid: boolean;
  onHit: (hit: Hit | null) => void;
  fit: RefObject<() => void>;
}

type Three = [number, number, number];

/** The middle and the half size of all that there is to see. */
function useExtent(): { origin: Three; half: Three } {
  const { model } = useBoardData();
  return useMemo(() => {
    const places = [
      ...model.corners.map((corner) => corner.xyz),
      ...model.guides.flatMap((guide) => [guide.low, guide.high]),
    ];
    if (!places.length) return { origin: [0, 0, 0], half: [1, 1, 0] };
    const side = (n: number, pick: (...v: number[]) => number) =>
      pick(...places.map((p) => p[n] ?? 0));
    const low = [0, 1, 2].map((n) => side(n, Math.min));
    const high = [0, 1, 2].map((n) => side(n, Math.max));
    high[2] = (high[2] ?? 0) + (model.depth ?? 0);
    return {
      origin: low.map((v, n) => (v + (high[n] ?? 0)) / 2) as Three,
      half: low.map((v, n) => Math.max(((high[n] ?? 0) - v) / 2, 1e-9)) as Three,
    };
  }, [model.corners, model.guides, model.depth]);
}

/** All that is drawn, the camera, and picking. */
export function Scene({ solid, onHit, fit }: Props) {
  const { grid, previewGrid } = useBoardData();
  const layer = useBoard((board) => board.layer);
  const job = useBoard((board) => board.job);
  const target = useBoard((board) => board.target);
  const { origin, half } = useExtent();
  const controls = useRef<Controls>(null);
  const { camera, size, invalidate } = useThree();
  const reach = Math.hypot(...half);

  const look = useMemo(
    () => (at: Three, zoom: number) => {
      const lens = camera as OrthographicCamera;
      const from = solid ? new Vector3(-0.75, -1.15, 0.95).normalize() : new Vector3(0, 0, 1);
      lens.up.set(0, solid ? 0 : 1, solid ? 1 : 0);
      lens.position.set(...at).addScaledVector(from, 8 * reach);
      lens.near = 0.01 * reach;
      lens.far = 40 * reach;
      lens.zoom = zoom;
      lens.lookAt(...at);
      lens.updateProjectionMatrix();
      controls.current?.target.set(...at);
      controls.current?.update();
      invalidate();
    },
    [camera, solid, reach, invalidate],
  );
  const fitAll = useMemo(
    () => () => {
      const [w, h] = solid
        ? [1.65 * Math.max(half[0], half[1]), 1.1 * half[1] + 0.75 * half[2] + 0.35 * half[0]]
        : half;
      const zoom = 0.84 * Math.min(size.width / (2 * w), (size.height - 90) / (2 * h));
      look([0, 0, 0], Math.max(zoom, 1e-12));
    },
    [half, size.width, size.height, look, solid],
  );
  useEffect(() => {
    fit.current = fitAll;
    fitAll();
  }, [fit, fitAll]);
  useEffect(() => {
    const press = (event: KeyboardEvent) => event.key === "0" && !typing(event) && fitAll();
    window.addEventListener("keydown", press);
    return () => window.removeEventListener("keydown", press);
  }, [fitAll]);
  useEffect(() => {
    if (!target) return;
    const at = target.at.map((v, n) => v - (origin[n] ?? 0)) as Three;
    look(at, Math.min(size.width, size.height) / target.size);
  }, [target, look, origin, size.width, size.height]);

  const shownGrid = layer === "Blocks" ? null : previewGrid && !solid ? previewGrid : grid;
  return (
    <>
      <OrbitControls
        key={String(solid)}
        ref={controls}
        makeDefault
        enableRotate={solid}
        enableDamping={false}
        zoomToCursor
        screenSpacePanning
        mouseButtons={{
          LEFT: solid ? MOUSE.ROTATE : MOUSE.PAN,
          MIDDLE: MOUSE.DOLLY,
          RIGHT: MOUSE.PAN,
        }}
      />
      <ambientLight intensity={1.6} />
      <directionalLight position={[-2, -3, 4]} intensity={1.6} />
      {job && !solid ? (
        <LivePicture job={job} origin={origin} fallback={shownGrid} />
      ) : (
        shownGrid && (
          <GridMesh
            picture={shownGrid}
            origin={origin}
            ghost={shownGrid === previewGrid && shownGrid !== grid}
          />
        )
      )}
      {!solid && (
        <>
          <Guides origin={origin} />
          <Edges origin={origin} />
          <Ghost origin={origin} />
          <Corners origin={origin} />
        </>
      )}
      <CellBoxes origin={origin} />
      <Labels origin={origin} solid={solid} />
      <Picker origin={origin} solid={solid} grid={shownGrid} onHit={onHit} />
    </>
  );
}
