import { OrbitControls } from "@react-three/drei";
import { useThree } from "@react-three/fiber";
import { type RefObject, useEffect, useMemo, useRef } from "react";
import { MOUSE, type OrthographicCamera } from "three";
import type { OrbitControls as Controls } from "three-stdlib";
import { useBoardData } from "../board/context";
import { typing } from "../board/keys";
import { useBoard } from "../board/store";
import { CellBoxes } from "./CellBoxes";
import { Corners } from "./Corners";
import { Edges } from "./Edges";
import { type Extent, lookFrom, seenHalf, type Three } from "./extent";
import { Ghost } from "./Ghost";
import { GridMesh } from "./GridMesh";
import { Guides } from "./Guides";
import { LivePicture } from "./LivePicture";
import { Picker } from "./Picker";
import type { Hit } from "./pick";

interface Props {
  solid: boolean;
  extent: Extent;
  onHit: (hit: Hit | null) => void;
  fit: RefObject<() => void>;
}

/** All that is drawn, the camera, and picking. */
export function Scene({ solid, extent, onHit, fit }: Props) {
  const { grid, previewGrid } = useBoardData();
  const layer = useBoard((board) => board.layer);
  const job = useBoard((board) => board.job);
  const target = useBoard((board) => board.target);
  const { origin, half } = extent;
  const controls = useRef<Controls>(null);
  const { camera, size, invalidate } = useThree();
  const reach = Math.hypot(...half);

  const look = useMemo(
    () => (at: Three, zoom: number) => {
      const lens = camera as OrthographicCamera;
      const from = lookFrom(solid);
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
      const [w, h] = seenHalf(half, solid);
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

  // A run that moves the nodes draws its own picture; edges and corners would stay behind.
  const live = job !== null && !solid && layer !== "Blocks";
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
      {live && job ? (
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
          {!live && <Edges origin={origin} />}
          <Ghost origin={origin} />
          {!live && <Corners origin={origin} />}
        </>
      )}
      <CellBoxes origin={origin} />
      <Picker origin={origin} solid={solid} grid={shownGrid} onHit={onHit} />
    </>
  );
}
