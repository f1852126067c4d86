import { useMemo } from "react";
import { CanvasTexture } from "three";
import { useBoard } from "../../session/store";
import { usePalette } from "../../theme/mode";
import { useDrawn } from "./drawn";

const PIXELS = 32;

/** Draws the sign of a corner once: a filled diamond, an open one, or an open circle. */
function sign(shape: "diamond" | "circle", line: string, fill: string): CanvasTexture {
  const canvas = document.createElement("canvas");
  canvas.width = PIXELS;
  canvas.height = PIXELS;
  const pen = canvas.getContext("2d") as CanvasRenderingContext2D;
  const [middle, reach] = [PIXELS / 2, PIXELS / 2 - 4];
  pen.beginPath();
  if (shape === "circle") pen.arc(middle, middle, reach * 0.8, 0, 2 * Math.PI);
  else {
    pen.moveTo(middle, middle - reach);
    pen.lineTo(middle + reach, middle);
    pen.lineTo(middle, middle + reach);
    pen.lineTo(middle - reach, middle);
    pen.closePath();
  }
  pen.fillStyle = fill;
  pen.fill();
  pen.lineWidth = 4;
  pen.strokeStyle = line;
  pen.stroke();
  return new CanvasTexture(canvas);
}

/** The corners with their signs, of the same size at any zoom. */
export function Corners({ origin }: { origin: number[] }) {
  const model = useDrawn();
  const palette = usePalette();
  const selection = useBoard((board) => board.selection);
  const groups = useMemo(
    () => [
      { sign: "pinned", texture: sign("diamond", palette.ink, palette.ink) },
      { sign: "guide", texture: sign("diamond", palette.teal, palette.card) },
      { sign: "free", texture: sign("circle", palette.ink, palette.card) },
      { sign: "in hand", texture: sign("circle", palette.ochre, palette.ochre) },
    ],
    [palette],
  );
  const taken = selection.kind === "corner" ? selection.ids : [];
  return groups.map((group) => {
    const corners = model.corners.filter((corner) =>
      group.sign === "in hand" ? taken.includes(corner.id) : corner.sign === group.sign,
    );
    if (!corners.length) return null;
    const places = new Float32Array(
      corners.flatMap((c) => [0, 1, 2].map((n) => (c.xyz[n] ?? 0) - (origin[n] ?? 0))),
    );
    return (
      <points
        key={`${group.sign} ${corners.map((c) => c.xyz).join(" ")}`}
        renderOrder={20}
        raycast={() => null}
        frustumCulled={false}
      >
        <bufferGeometry>
          <bufferAttribute attach="attributes-position" args={[places, 3]} />
        </bufferGeometry>
        <pointsMaterial
          map={group.texture}
          size={13 * Math.min(window.devicePixelRatio, 2)}
          sizeAttenuation={false}
          transparent
          depthTest={false}
        />
      </points>
    );
  });
}
