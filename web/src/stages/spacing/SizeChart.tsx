import { Box, Text } from "@chakra-ui/react";
import { type PointerEvent, useRef, useState } from "react";
import type { Edge, Step } from "../../api/client";
import { useBoardData } from "../../board/context";
import { useBoard } from "../../board/store";
import { lengthText, short } from "../../model/numbers";
import { freshId, placeFor } from "../../model/places";
import { edgeId, sameEdge } from "../../model/selection";
import { sizesAlong, withEnd } from "../../model/sizes";
import { usePalette } from "../../theme/mode";
import { Empty, Heading } from "../../theme/parts";
import { useWidth } from "../../theme/useWidth";

const FRAME = { height: 132, left: 58, right: 14, top: 8, bottom: 22 };
const GROWTH_LIMIT = 1.2;

/** The cell sizes along the edge in hand, on a log axis, with handles to drag at both ends. */
export function SizeChart() {
  const { model, preview } = useBoardData();
  const selection = useBoard((board) => board.selection);
  const draft = useBoard((board) => board.draft);
  const asked = (draft?.step.tier as { edges?: [string, string][] } | undefined)?.edges?.[0];
  const way = asked ? edgeId(asked) : selection.kind === "edge" ? selection.ids[0] : undefined;
  const shown = preview && !preview.error ? preview.model : model;
  const edge = way ? shown.edges.find((e) => sameEdge(edgeId(e.id), way)) : undefined;
  if (!edge || !way || edge.nodes.length < 2)
    return (
      <Box>
        <Heading>Cell size</Heading>
        <Empty>Take an edge in hand to see the sizes of its cells, and drag their ends.</Empty>
      </Box>
    );
  return <Chart edge={edge} way={way} />;
}

function Chart({ edge, way }: { edge: Edge; way: string }) {
  const { model, steps } = useBoardData();
  const palette = usePalette();
  const set = useBoard((board) => board.set);
  const svg = useRef<SVGSVGElement>(null);
  const box = { ...FRAME, width: useWidth(svg, 460) };
  const [dragged, setDragged] = useState<"first" | "last" | null>(null);
  const [scale, setScale] = useState<[number, number] | null>(null);
  const { at, d } = sizesAlong(edge, way);
  const fitted: [number, number] = [Math.min(...d) / 1.6, Math.max(...d) * 1.6];
  const [low, high] = scale ?? fitted;
  const x = (v: number) => box.left + (v / edge.length) * (box.width - box.left - box.right);
  const span = box.height - box.top - box.bottom;
  const y = (v: number) => box.top + span * (1 - Math.log(v / low) / Math.log(high / low));
  const base = box.height - box.bottom;
  const growth = d.slice(1).reduce((worst, v, n) => {
    const before = d[n] as number;
    return Math.max(worst, v / before, before / v);
  }, 1);

  const drag = (event: PointerEvent) => {
    if (!dragged || !svg.current) return;
    const seen = svg.current.getBoundingClientRect();
    const part = ((event.clientY - seen.top) / seen.height) * box.height;
    const share = 1 - (part - box.top) / span;
    const size = low * (high / low) ** Math.min(Math.max(share, 0.01), 0.99);
    setEnd(dragged, size);
  };
  const setEnd = (end: "first" | "last", size: number) => {
    const board = useBoard.getState();
    const tier = model.tiers.find((t) => t.label === edge.tier);
    const ruling = steps.findIndex((step) => step.id === tier?.law_step);
    const fresh: Step = { kind: "space", id: freshId("space", steps), law: "geometric" };
    const named = { edges: [edge.id] };
    const started =
      board.draft?.step.kind === "space"
        ? board.draft
        : ruling >= 0
          ? { step: steps[ruling] as Step, at: ruling, isNew: false, field: "tier" }
          : {
              step: fresh,
              at: placeFor("space", steps, board.here ?? steps.length, named),
              isNew: true,
              field: "tier",
            };
    const step = withEnd(started.step, way, end, lengthText(size, model.unit));
    set({ draft: { ...started, step }, stage: "Spacing" });
  };
  const handle = (end: "first" | "last", cx: number, size: number) => (
    <circle
      cx={cx}
      cy={y(Math.min(Math.max(size, low), high))}
      r="6"
      fill={palette.card}
      stroke={palette.rust}
      strokeWidth="2"
      tabIndex={0}
      role="slider"
      aria-label={`${end} cell`}
      aria-valuenow={size}
      aria-valuetext={lengthText(size, model.unit)}
      style={{ cursor: "ns-resize", touchAction: "none" }}
      onPointerDown={(event) => {
        svg.current?.setPointerCapture(event.pointerId);
        setScale([fitted[0] / 3, fitted[1] * 3]);
        setDragged(end);
      }}
      onKeyDown={(event) => {
        if (event.key === "ArrowUp") setEnd(end, size * 1.05);
        if (event.key === "ArrowDown") setEnd(end, size / 1.05);
      }}
    />
  );
  const release = () => {
    setDragged(null);
    setScale(null);
  };
  const ticks = logTicks(low, high);
  return (
    <Box minW="0">
      <Heading
        right={
          <Text as="span" color={growth > GROWTH_LIMIT + 0.005 ? "madder" : undefined}>
            growth at most {short(growth)}
          </Text>
        }
      >
        Cell size along {edge.tier} · {edge.label}
      </Heading>
      <svg
        ref={svg}
        viewBox={`0 0 ${box.width} ${box.height}`}
        width="100%"
        height="136"
        onPointerMove={drag}
        onPointerUp={release}
        role="img"
        aria-label="Cell size along the edge"
      >
        {ticks.map((v) => (
          <g key={v}>
            <line
              x1={box.left}
              x2={box.width - box.right}
              y1={y(v)}
              y2={y(v)}
              stroke={palette.rule}
            />
            <text
              x={box.left - 6}
              y={y(v) + 3.5}
              fontSize="10.5"
              textAnchor="end"
              fill={palette.muted}
            >
              {lengthText(v, model.unit)}
            </text>
          </g>
        ))}
        {d.map((size, n) => {
          const [a, b] = [x(at[n] as number), x(at[n + 1] as number)];
          const top = Math.min(Math.max(y(size), box.top), base);
          return (
            <rect
              key={at[n]}
              x={a}
              width={Math.max(b - a - Math.min(1, 0.25 * (b - a)), 0.3)}
              y={top}
              height={base - top}
              fill={palette.ochre}
              opacity="0.45"
            />
          );
        })}
        <polyline
          fill="none"
          stroke={palette.ochre}
          strokeWidth="2"
          points={d
            .map((size, n) => `${x(((at[n] as number) + (at[n + 1] as number)) / 2)},${y(size)}`)
            .join(" ")}
        />
        {handle("first", x(0), d[0] as number)}
        {handle("last", x(edge.length), d.at(-1) as number)}
        <text x={box.left} y={box.height - 6} fontSize="10.5" fill={palette.muted}>
          0
        </text>
        <text
          x={box.width - box.right}
          y={box.height - 6}
          fontSize="10.5"
          textAnchor="end"
          fill={palette.muted}
        >
          {lengthText(edge.length, model.unit)} along the edge
        </text>
      </svg>
    </Box>
  );
}

/** Round values (1, 2, 5 times a power of ten) between two bounds. */
function logTicks(low: number, high: number): number[] {
  const found: number[] = [];
  for (let e = Math.floor(Math.log10(low)); e <= Math.log10(high); e++)
    for (const m of [1, 2, 5]) {
      const v = m * 10 ** e;
      if (v >= low && v <= high) found.push(v);
    }
  return found.length > 5 ? found.filter((v) => /^[1]/.test(v.toExponential())) : found;
}
