import { invalidate, useFrame } from "@react-three/fiber";
import { type RefObject, useEffect } from "react";
import { edgeId } from "../../model/selection";
import type { Model } from "../../model/types";
import { useBoard } from "../../session/store";
import { usePalette } from "../../theme/mode";
import { projector } from "../pick";
import { useDrawn } from "./drawn";

interface Label {
  text: string;
  at: readonly number[];
  strong: boolean;
}

const MOST = 240;

const halfway = (path: number[][]): number[] =>
  (path[0] ?? []).map((v, n) => (v + (path.at(-1)?.[n] ?? 0)) / 2);

/** The axes of the blocks in hand: i, j, k at the ends of their first edges. */
function axesOf(model: Model, ids: string[]): Label[] {
  const place = new Map(model.corners.map((c) => [c.id, c.xyz]));
  return model.blocks
    .filter((block) => ids.includes(block.id))
    .flatMap((block) =>
      ["i", "j", "k"].slice(0, model.dim).map((text, axis) => {
        const from = place.get(block.corners[0] ?? "") ?? [0, 0, 0];
        const to = place.get(block.corners[1 << axis] ?? "") ?? from;
        return { text, at: from.map((v, n) => v + 0.35 * ((to[n] ?? 0) - v)), strong: true };
      }),
    );
}

/** The middle of a side: of its path in the plane, of its corners in space. */
function middleOf(model: Model, side: string[]): number[] | null {
  const edge =
    side.length === 2 && model.edges.find((e) => edgeId(e.id) === edgeId(side as [string, string]));
  const bent = edge && edge.path.length > 2;
  const places = bent
    ? [edge.path[Math.floor((edge.path.length - 1) / 2)] as number[]]
    : side.flatMap((id) => model.corners.find((c) => c.id === id)?.xyz ?? []).length
      ? side.map((id) => model.corners.find((c) => c.id === id)?.xyz ?? [0, 0, 0])
      : [];
  if (!places.length) return null;
  return [0, 1, 2].map((n) => places.reduce((sum, p) => sum + (p[n] ?? 0), 0) / places.length);
}

interface LabelsProps {
  layer: RefObject<HTMLDivElement | null>;
  solid: boolean;
}

/** Names on the view: patches; and on wish the labels of corners and blocks. */
export function Labels({ layer: sheet, solid }: LabelsProps) {
  const model = useDrawn();
  const numbers = useBoard((board) => board.numbers);
  const stage = useBoard((board) => board.stage);
  const hidden = useBoard((board) => board.hidden);
  const layer = useBoard((board) => board.layer);
  const palette = usePalette();
  const selection = useBoard((board) => board.selection);
  const inHand = selection.kind === "block" ? selection.ids : [];
  const labels: Label[] = [];
  if (layer === "Patches" || layer === "Blocks") {
    for (const patch of model.patches) {
      const side = patch.sides[Math.floor(patch.sides.length / 2)];
      const at = side && middleOf(model, side);
      if (at) labels.push({ text: patch.name, at, strong: true });
    }
  }
  if (numbers && stage === "Shape" && layer === "Blocks") {
    const off = new Set(hidden);
    for (const guide of model.guides) {
      const middle = guide.low.map((v, n) => (v + (guide.high[n] ?? 0)) / 2);
      const at = guide.xyz[Math.floor(guide.xyz.length / 2)] ?? middle;
      if (!off.has(guide.name)) labels.push({ text: guide.name, at, strong: guide.dim === 2 });
    }
  }
  if (numbers && !solid) {
    for (const block of model.blocks)
      labels.push({ text: block.label, at: block.centre, strong: true });
    for (const corner of model.corners)
      labels.push({ text: corner.label, at: corner.xyz, strong: false });
    for (const edge of model.edges)
      if (edge.state !== "hollow")
        labels.push({
          text: edge.tier,
          at: edge.path.length > 2 ? (edge.path[16] ?? []) : halfway(edge.path),
          strong: false,
        });
  }
  if (!solid && layer === "Blocks") labels.push(...axesOf(model, inHand));
  const told = labels.map((label) => `${label.text} ${label.at}`).join();
  // biome-ignore lint/correctness/useExhaustiveDependencies: new labels are put in place by a new frame
  useEffect(() => invalidate(), [told]);
  return (
    <div
      ref={sheet}
      style={{ position: "absolute", inset: 0, overflow: "hidden", pointerEvents: "none" }}
    >
      {labels.slice(0, MOST).map((label) => (
        <span
          key={`${label.text} ${label.at.join(" ")}`}
          data-at={label.at.join(" ")}
          style={{
            position: "absolute",
            left: 0,
            top: label.strong ? 0 : -13,
            visibility: "hidden",
            background: palette.card,
            color: label.strong ? palette.ink : palette.muted,
            border: label.strong ? `1px solid ${palette.rule}` : "none",
            borderRadius: 9,
            padding: label.strong ? "1px 7px" : "0 2px",
            fontSize: label.strong ? 11.5 : 10,
            lineHeight: 1.4,
            whiteSpace: "nowrap",
            opacity: 0.93,
          }}
        >
          {label.text}
        </span>
      ))}
    </div>
  );
}

interface PlacerProps {
  layer: RefObject<HTMLDivElement | null>;
  origin: readonly number[];
}

/** Puts the labels where their places are, with every frame that is drawn. */
export function LabelPlacer({ layer, origin }: PlacerProps) {
  useFrame(({ camera, size }) => {
    const to = projector(camera, size.width, size.height, origin);
    for (const span of layer.current?.children ?? []) {
      const label = span as HTMLElement;
      const [x, y] = to((label.dataset.at ?? "").split(" ").map(Number));
      label.style.transform = `translate(${x}px, ${y}px) translate(-50%, -50%)`;
      label.style.visibility = "visible";
    }
  });
  return null;
}
