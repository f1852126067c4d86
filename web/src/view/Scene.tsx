import { OrbitControls, OrthographicCamera, PerspectiveCamera } from "@react-three/drei";
import { useThree } from "@react-three/fiber";
import { memo, type RefObject, useEffect, useMemo, useRef } from "react";
import { type PerspectiveCamera as Deep, type OrthographicCamera as Flat, MOUSE } from "three";
import type { OrbitControls as Controls } from "three-stdlib";
import { useBoardData } from "../session/context";
import { typing } from "../session/keys";
import { jobOf } from "../session/run";
import { useBoard } from "../session/store";
import { type Extent, lookFrom, seenHalf, type Three, upFor } from "./extent";
import { PiecesMesh } from "./inside/PiecesMesh";
import { useAgainst } from "./inside/useAgainst";
import { useChosen } from "./inside/useChosen";
import { useFlow } from "./inside/useFlow";
import { useSections } from "./inside/useSections";
import { LivePicture } from "./LivePicture";
import { CellBoxes } from "./layers/CellBoxes";
import { Corners } from "./layers/Corners";
import { Edges } from "./layers/Edges";
import { Ghost } from "./layers/Ghost";
import { GridMesh } from "./layers/GridMesh";
import { Guides } from "./layers/Guides";
import { Marks } from "./layers/Marks";
import { Nodes } from "./layers/Nodes";
import { RoleMarks } from "./layers/RoleMarks";
import { Sides } from "./layers/Sides";
import { Surfaces } from "./layers/Surfaces";
import { Picker } from "./Picker";

interface Props {
  /** Whether the grid is shown in space. */
  solid: boolean;
  /** Whether the camera moves in space. */
  spatial: boolean;
  extent: Extent;
  fit: RefObject<() => void>;
}

// Values that are made anew with each render would each draw a new frame.
const SLIDING = { LEFT: MOUSE.PAN, MIDDLE: MOUSE.DOLLY, RIGHT: MOUSE.PAN };
const TURNING = { ...SLIDING, LEFT: MOUSE.ROTATE };

/** All that is drawn, the camera, and picking. */
export const Scene = memo(function Scene({ solid, spatial, extent, fit }: Props) {
  const { grid, previewGrid, shape, previewShape } = useBoardData();
  const layer = useBoard((board) => board.layer);
  const job = useBoard((board) => jobOf(board.run));
  const target = useBoard((board) => board.target);
  const explode = useBoard((board) => board.explode);
  const part = useBoard((board) => ["blocks", "layer"].includes(board.part.kind));
  const edgesBy = useBoard((board) => board.edgesBy);
  const from = useBoard((board) => board.from);
  const perspective = useBoard((board) => board.perspective) && spatial;
  const { origin, half } = extent;
  const controls = useRef<Controls>(null);
  const { camera, size, invalidate } = useThree();
  const reach = Math.hypot(...half);

  const look = useMemo(
    () => (at: Three, zoom: number) => {
      const lens = camera as Flat | Deep;
      lens.up.copy(upFor(spatial, from));
      // What is a zoom for parallel sight is a distance in perspective.
      const tall = "isPerspectiveCamera" in lens ? Math.tan((lens.fov * Math.PI) / 360) : 0;
      const away = tall ? size.height / zoom / (2 * tall) : 8 * reach;
      lens.position.set(...at).addScaledVector(lookFrom(spatial, from), away);
      lens.near = tall ? 0.01 * away : 0.01 * reach;
      lens.far = tall ? away + 40 * reach : 40 * reach;
      if (!tall) lens.zoom = zoom;
      lens.lookAt(...at);
      lens.updateProjectionMatrix();
      controls.current?.target.set(...at);
      controls.current?.update();
      invalidate();
    },
    [camera, spatial, from, reach, size.height, invalidate],
  );
  const against = useAgainst(extent, spatial);
  const flow = useFlow();
  const fitAll = useMemo(
    () => () => {
      const [own, h] = seenHalf(half, spatial, from);
      const w = own + against.shift.length() / 2;
      const zoom = 0.84 * Math.min(size.width / (2 * w), (size.height - 90) / (2 * h));
      const middle = against.shift.clone().multiplyScalar(0.5);
      look(middle.toArray() as Three, Math.max(zoom, 1e-12));
    },
    [half, size.width, size.height, look, spatial, from, against.shift],
  );
  // The camera moves by itself only where it must: to all there is, or to what was asked for, until
  // it is taken in hand. A kept step or a wider panel leaves it where the analyst has put it.
  const goal = useRef(target);
  const touched = useRef(false);
  const settle = useRef<() => void>(() => undefined);
  settle.current = () => {
    touched.current = false;
    if (!goal.current) return fitAll();
    const at = goal.current.at.map((v, n) => v - (origin[n] ?? 0)) as Three;
    look(at, Math.min(size.width, size.height) / goal.current.size);
  };
  const fitAgain = useMemo(
    () => () => {
      goal.current = null;
      settle.current();
    },
    [],
  );
  const beside = against.show === "beside";
  const seen = [size.width > 0, spatial, from, perspective, beside, ...rounded(origin, half)].join(
    " ",
  );
  // biome-ignore lint/correctness/useExhaustiveDependencies: what is seen is what it waits for
  useEffect(() => settle.current(), [seen, camera]);
  // Where the analyst has not moved it, a view that becomes wider or narrower still shows all.
  // biome-ignore lint/correctness/useExhaustiveDependencies: the size is what it waits for
  useEffect(() => {
    if (!touched.current) settle.current();
  }, [size.width, size.height]);
  useEffect(() => {
    goal.current = target;
    if (target) settle.current();
  }, [target]);
  useEffect(() => {
    fit.current = fitAgain;
    const press = (event: KeyboardEvent) => event.key === "0" && !typing(event) && fitAgain();
    window.addEventListener("keydown", press);
    return () => window.removeEventListener("keydown", press);
  }, [fit, fitAgain]);

  // A run that moves the nodes draws its own picture; edges and corners would stay behind.
  const live = job !== null && layer !== "Blocks";
  const cut = useSections().picture;
  const pieces = useChosen().picture ?? cut;
  const tried = previewGrid && (previewGrid.dim === 3) === solid ? previewGrid : null;
  const shownGrid = layer === "Blocks" ? null : (tried ?? grid);
  return (
    <>
      {perspective ? (
        <PerspectiveCamera makeDefault fov={30} />
      ) : (
        <OrthographicCamera makeDefault />
      )}
      <OrbitControls
        key={`${spatial} ${perspective}`}
        ref={controls}
        makeDefault
        onStart={() => {
          touched.current = true;
          goal.current = null;
        }}
        enableRotate={spatial}
        enableDamping={false}
        zoomToCursor
        screenSpacePanning
        mouseButtons={spatial ? TURNING : SLIDING}
      />
      <ambientLight intensity={1.6} />
      <directionalLight position={[-2, -3, 4]} intensity={1.6} />
      <directionalLight position={[3, 2, -1]} intensity={0.5} />
      {layer === "Blocks" && shape && <Surfaces picture={shape} extent={extent} />}
      {layer === "Blocks" && previewShape && (
        <Surfaces picture={previewShape} extent={extent} ghost />
      )}
      <Marks origin={origin} />
      {against.show !== "not" && !live && (
        <group position={against.shift}>
          {against.outside && (
            <GridMesh
              picture={against.outside}
              outlined={against.cut !== null}
              extent={extent}
              other
            />
          )}
          {against.cut && <PiecesMesh picture={against.cut} extent={extent} other />}
        </group>
      )}
      {flow ? (
        <GridMesh picture={flow.picture} extent={extent} field={flow.range} other />
      ) : against.show === "instead" && !live ? null : live && job ? (
        <LivePicture job={job} extent={extent} fallback={shownGrid} />
      ) : (
        shownGrid && (
          <GridMesh
            picture={shownGrid}
            outlined={pieces !== null}
            extent={extent}
            ghost={shownGrid === previewGrid && shownGrid !== grid}
          />
        )
      )}
      {pieces && !live && !flow && against.show !== "instead" && (
        <PiecesMesh picture={pieces} extent={extent} />
      )}
      {!solid && (
        <>
          <Guides extent={extent} spatial={spatial} />
          {layer === "Blocks" && <Sides origin={origin} />}
          {!live && <Edges origin={origin} />}
          {!live && <Nodes origin={origin} />}
          <Ghost origin={origin} />
          {!live && !(layer === "Blocks" && explode > 0) && <Corners origin={origin} />}
        </>
      )}
      {solid && part && <Edges origin={origin} />}
      {solid && edgesBy !== "plain" && <Nodes origin={origin} />}
      <RoleMarks extent={extent} />
      <CellBoxes origin={origin} />
      <Picker origin={origin} solid={solid} grid={shownGrid} />
    </>
  );
});

/** An extent told to a thousandth of its size: smaller changes are not worth a move of the camera. */
function rounded(origin: Three, half: Three): string[] {
  const reach = Math.hypot(...half);
  return [...[...origin, ...half].map((v) => (v / reach).toFixed(3)), reach.toPrecision(3)];
}
