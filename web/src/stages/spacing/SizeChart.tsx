import { Box, chakra, Flex, Text } from "@chakra-ui/react";
import { type PointerEvent, useRef, useState } from "react";
import { alike, chainOf, type Run, sizesBeside } from "../../model/chains";
import { lengthText, short } from "../../model/numbers";
import { freshId } from "../../model/places";
import { edgeId, sameEdge } from "../../model/selection";
import { sizesAlong, withEnd, withWallEnd } from "../../model/sizes";
import type { Step } from "../../model/types";
import { useBoardData } from "../../session/context";
import { useBoard } from "../../session/store";
import { usePalette } from "../../theme/mode";
import { tone } from "../../theme/palette";
import { Empty, Heading } from "../../theme/parts";
import { useWidth } from "../../theme/useWidth";

const FRAME = { height: 132, left: 58, right: 14, top: 8, bottom: 22 };
/** Rounding of counts may add so much to a growth before it is marked. */
const SLACK = 1.005;
/** The steps that an end of the chart can change. */
const SPACES: ReadonlySet<string> = new Set(["space", "wall-layer"]);

/** The cell sizes along the edge in hand, or the chain it is part of, on a log axis with handles. */
export function SizeChart() {
  const { model, preview } = useBoardData();
  const selection = useBoard((board) => board.selection);
  const draft = useBoard((board) => board.draft);
  const chained = useBoard((board) => board.chained);
  const asked = (draft?.step.tier as { edges?: [string, string][] } | undefined)?.edges?.[0];
  const ids = selection.kind === "edge" ? selection.ids : [];
  const ways = asked ? [edgeId(asked), ...ids.filter((id) => !sameEdge(id, edgeId(asked)))] : ids;
  const shown = preview && !preview.error ? preview.model : model;
  const runs = ways.flatMap((way): Run[] => {
    const edge = shown.edges.find((e) => sameEdge(edgeId(e.id), way));
    return edge && edge.nodes.length > 1 ? [{ edge, way }] : [];
  });
  const own = runs[0];
  if (!own)
    return (
      <Box>
        <Heading>Cell size</Heading>
        <Empty>
          Take an edge in hand to see the sizes of its cells, and drag their ends. Shift takes more,
          to see them on top of each other.
        </Empty>
      </Box>
    );
  const chain = chained ? chainOf(shown.edges, own) : [own];
  const others = chained ? [] : runs.slice(1, 9).map((run) => alike(run, own));
  return <Chart own={own} chain={chain} others={others} />;
}

interface Series {
  run: Run;
  at: number[];
  d: number[];
}

/** Places and sizes of runs, one after the other. */
function inRow(runs: Run[]): Series[] {
  let from = 0;
  return runs.map((run) => {
    const { at, d } = sizesAlong(run.edge, run.way);
    const moved = at.map((v) => v + from);
    from += run.edge.length;
    return { run, at: moved, d };
  });
}

function Chart({ own, chain, others }: { own: Run; chain: Run[]; others: Run[] }) {
  const { model, preview, steps } = useBoardData();
  const palette = usePalette();
  const set = useBoard((board) => board.set);
  const chained = useBoard((board) => board.chained);
  const svg = useRef<SVGSVGElement>(null);
  const box = { ...FRAME, width: useWidth(svg, 460) };
  const [dragged, setDragged] = useState<"first" | "last" | null>(null);
  const [scale, setScale] = useState<[number, number] | null>(null);
  const { edge, way } = own;
  const limit = model.growth_limit;
  const row = inRow(chain);
  const mine = row.find((s) => s.run === own) ?? (row[0] as Series);
  const beside = others.map((run) => inRow([run])[0] as Series);
  const shown = preview && !preview.error ? preview.model : model;
  const near = sizesBeside(shown.edges, own);
  const all = [...row, ...beside].flatMap((s) => s.d);
  const total = Math.max(row.at(-1)?.at.at(-1) ?? 0, ...beside.map((s) => s.at.at(-1) ?? 0));
  const marks = [near.first, near.last].filter((v): v is number => v !== null);
  const fitted: [number, number] = [
    Math.min(...all, ...marks) / 1.6,
    Math.max(...all, ...marks) * 1.6,
  ];
  const [low, high] = scale ?? fitted;
  const x = (v: number) => box.left + (v / total) * (box.width - box.left - box.right);
  const span = box.height - box.top - box.bottom;
  const y = (v: number) => box.top + span * (1 - Math.log(v / low) / Math.log(high / low));
  const base = box.height - box.bottom;
  const cells = row.flatMap((s) =>
    s.d.map((size, n) => ({ size, from: s.at[n], to: s.at[n + 1] })),
  );
  const growths = cells.slice(1).map((cell, n) => {
    const before = cells[n]?.size ?? cell.size;
    return { at: cell.from as number, growth: Math.max(cell.size / before, before / cell.size) };
  });
  const growth = growths.reduce((worst, g) => Math.max(worst, g.growth), 1);

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
    const ruling = steps.find((s) => s.id === tier?.law_step && SPACES.has(s.kind));
    const fresh: Step = { kind: "space", id: freshId("space", steps), law: "geometric" };
    const started =
      board.draft && SPACES.has(board.draft.step.kind)
        ? board.draft
        : ruling
          ? { step: ruling, isNew: false, field: "tier" }
          : { step: fresh, isNew: true, field: "tier" };
    const text = lengthText(size, model.unit);
    const fine = (mine.d[0] as number) <= (mine.d.at(-1) as number) ? "first" : "last";
    const step =
      started.step.kind === "wall-layer"
        ? withWallEnd(started.step, end === fine, text)
        : withEnd(started.step, way, end, text);
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
  /** The neighbour's cell at an end, and the sizes that stay within the limit beside it. */
  const neighbour = (size: number | null, cx: number) =>
    size !== null && (
      <g>
        <title>the neighbour's cell: {lengthText(size, model.unit)}</title>
        <line
          x1={cx}
          x2={cx}
          y1={y(Math.min(size * limit, high))}
          y2={y(Math.max(size / limit, low))}
          stroke={palette.plum}
          strokeWidth="5"
          opacity="0.35"
        />
        <line
          x1={cx - 7}
          x2={cx + 7}
          y1={y(size)}
          y2={y(size)}
          stroke={palette.plum}
          strokeWidth="2"
        />
      </g>
    );
  const release = () => {
    setDragged(null);
    setScale(null);
  };
  return (
    <Box minW="0">
      <Heading
        right={
          <Flex as="span" gap="3" align="baseline">
            <Text as="span" color={growth > limit * SLACK ? "madder" : undefined}>
              growth at most {short(growth)}, limit {short(limit)}
            </Text>
            <chakra.button
              type="button"
              aria-pressed={chained}
              cursor="pointer"
              color={chained ? "ink" : undefined}
              fontWeight={chained ? "600" : undefined}
              textDecoration="underline"
              onClick={() => set({ chained: !chained })}
            >
              {chained ? `chain of ${chain.length}` : "whole chain"}
            </chakra.button>
          </Flex>
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
        {logTicks(low, high).map((v) => (
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
        {row.map((s) => (
          <Bars key={s.run.way} series={s} x={x} y={y} base={base} on={s.run === own} />
        ))}
        {row.slice(1).map((s) => (
          <line
            key={s.run.way}
            x1={x(s.at[0] ?? 0)}
            x2={x(s.at[0] ?? 0)}
            y1={box.top}
            y2={base}
            stroke={palette.ink}
            strokeDasharray="3 3"
          />
        ))}
        {beside.map((s, n) => (
          <polyline
            key={s.run.way}
            fill="none"
            stroke={tone(n)}
            strokeWidth="1.5"
            points={middles(s, x, y)}
          >
            <title>
              {s.run.edge.tier} · {s.run.edge.label}
            </title>
          </polyline>
        ))}
        {growths
          .filter((g) => g.growth > limit * SLACK)
          .slice(0, 200)
          .map((g) => (
            <path key={g.at} d={`M ${x(g.at) - 4} ${box.top} l 8 0 l -4 7 z`} fill={palette.madder}>
              <title>growth {short(g.growth)}</title>
            </path>
          ))}
        {neighbour(near.first, x(mine.at[0] ?? 0))}
        {neighbour(near.last, x(mine.at.at(-1) ?? 0))}
        {handle("first", x(mine.at[0] ?? 0), mine.d[0] as number)}
        {handle("last", x(mine.at.at(-1) ?? 0), mine.d.at(-1) as number)}
        <text x={box.left} y={box.height - 6} fontSize="10.5" fill={palette.muted}>
          0{near.first !== null || near.last !== null ? " · plum: the neighbour's cell" : ""}
        </text>
        <text
          x={box.width - box.right}
          y={box.height - 6}
          fontSize="10.5"
          textAnchor="end"
          fill={palette.muted}
        >
          {lengthText(total, model.unit)} along the {chained ? "chain" : "edge"}
        </text>
      </svg>
    </Box>
  );
}

interface BarsProps {
  series: Series;
  x: (v: number) => number;
  y: (v: number) => number;
  base: number;
  on: boolean;
}

const middles = ({ at, d }: Series, x: (v: number) => number, y: (v: number) => number) =>
  d.map((size, n) => `${x(((at[n] as number) + (at[n + 1] as number)) / 2)},${y(size)}`).join(" ");

/** The cells of one edge as bars, as wide as they are long; fainter where another is in hand. */
function Bars({ series, x, y, base, on }: BarsProps) {
  const palette = usePalette();
  const { at, d } = series;
  return (
    <g opacity={on ? 1 : 0.55}>
      {d.map((size, n) => {
        const [a, b] = [x(at[n] as number), x(at[n + 1] as number)];
        const top = Math.min(Math.max(y(size), FRAME.top), base);
        return (
          <rect
            key={at[n]}
            x={a}
            width={Math.max(b - a - Math.min(1, 0.25 * (b - a)), 0.3)}
            y={top}
            height={base - top}
            fill={on ? palette.ochre : palette.muted}
            opacity="0.45"
          />
        );
      })}
      <polyline
        fill="none"
        stroke={on ? palette.ochre : palette.muted}
        strokeWidth="2"
        points={middles(series, x, y)}
      />
    </g>
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
