import { useFrame } from "@react-three/fiber";
import type { RefObject } from "react";
import { useBoard } from "../board/store";
import { edgeId } from "../model/selection";
import { usePalette } from "../theme/mode";
import { useDrawn } from "./drawn";
import { projector } from "./pick";

interface Label {
  text: string;
  at: readonly number[];
  strong: boolean;
}

const MOST = 120;

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
  const labels: Label[] = [];
  if (layer === "Patches" || layer === "Blocks") {
    for (const patch of model.patches) {
      const edges = model.edges.filter((e) => patch.edges.some((p) => edgeId(p) === edgeId(e.id)));
      const edge = edges[Math.floor(edges.length / 2)];
      const middle = edge?.path[Math.floor((edge.path.length - 1) / 2)];
      const end = edge?.path.length === 2 ? edge.path[1] : middle;
      if (middle && end) {
        const at = middle.map((v, n) => (v + (end[n] ?? 0)) / 2);
        if (solid) at[2] = (at[2] ?? 0) + (model.depth ?? 0) / 2;
        labels.push({ text: patch.name, at, strong: true });
      } else if (solid && patch.ends.length) {
        const top = patch.ends[0]?.endsWith("|1");
        const block = model.blocks.find((b) => b.id === patch.ends[0]?.split("|")[0]);
        if (block && top)
          labels.push({
            text: patch.name,
            at: [block.centre[0] ?? 0, block.centre[1] ?? 0, model.depth ?? 0],
            strong: true,
          });
      }
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
  }
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
