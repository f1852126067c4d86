import { type PointerEvent, useRef, useState } from "react";
import { colourRange, shareOf } from "../../model/colouring";
import { percent, short, whole } from "../../model/numbers";
import type { Quality } from "../../model/types";
import { usePalette } from "../../theme/mode";
import { cividis } from "../../theme/palette";
import { useWidth } from "../../theme/useWidth";

const FRAME = { height: 116, left: 46, right: 12, top: 6, bottom: 20 };
/** The least share of the whole that can be told from nothing on the axis of shares. */
const LEAST = 1e-6;
const rgb = (share: number) =>
  `rgb(${cividis(share)
    .map((v) => Math.round(255 * v))
    .join(",")})`;

interface BarsProps {
  bounds: number[];
  /** What the bars stand for, cells or volumes; and the cells in each. */
  values: number[];
  cells: number[];
  /** What the bars of another state stand for, drawn as a line over them. */
  other: number[] | null;
  metric: Quality["metrics"][number] | undefined;
  limit: number | null;
  log: boolean;
  /** Shows the cells of bars, the first to the last. */
  show: (first: number, last: number) => void;
  /** Moves the limit; tells when that is done. */
  move: ((value: number, done: () => void) => void) | undefined;
}

/** The bars of a histogram, as shares of the whole on a scale by factors, with the limit as a line to drag. */
export function Bars(props: BarsProps) {
  const { bounds, values, cells, other, metric, limit: kept, log, show, move } = props;
  const palette = usePalette();
  const svg = useRef<SVGSVGElement>(null);
  const box = { ...FRAME, width: useWidth(svg, 460) };
  const [dragged, setDragged] = useState<number | null>(null);
  const [picking, setPicking] = useState<[number, number] | null>(null);
  const limit = dragged ?? kept;
  const ends = [bounds[0] as number, bounds.at(-1) as number];
  const [low, high] = [
    Math.min(ends[0] as number, limit ?? Number.POSITIVE_INFINITY),
    Math.max(ends[1] as number, limit !== null && limit < 5 * (ends[1] as number) ? limit : -1e99),
  ] as [number, number];
  const byFactors = log && low > 0;
  const place = (v: number) =>
    byFactors ? Math.log(v / low) / Math.log(high / low) : (v - low) / (high - low);
  const width = box.width - box.left - box.right;
  const x = (v: number) => box.left + width * place(v);
  const shares = sharesOf(values);
  const others = other && sharesOf(other);
  const every = [...shares, ...(others ?? [])];
  const most = Math.max(...every);
  const least = Math.max(LEAST, Math.min(...every.filter((share) => share > 0)) / 2);
  const base = box.height - box.bottom;
  const y = (share: number) =>
    share > 0
      ? base -
        ((base - box.top) * Math.log(Math.max(share, 1.05 * least) / least)) /
          Math.log(most / least)
      : base;
  const shade = (v: number) => (metric ? shareOf(v, colourRange(metric)) : 1);
  const shareAt = (event: PointerEvent) => {
    const matrix = svg.current?.getScreenCTM();
    if (!matrix) return null;
    const at = new DOMPoint(event.clientX, event.clientY).matrixTransform(matrix.inverse()).x;
    return Math.min(Math.max((at - box.left) / width, 0), 1);
  };
  const valueAt = (share: number) =>
    byFactors ? low * (high / low) ** share : low + share * (high - low);
  const barAt = (share: number) => {
    const found = bounds.findLastIndex((bound) => bound <= valueAt(share));
    return Math.min(Math.max(found, 0), values.length - 1);
  };
  const drag = (event: PointerEvent) => {
    const share = shareAt(event);
    if (share === null) return;
    if (dragged !== null) setDragged(valueAt(share));
    else if (picking) setPicking([picking[0], barAt(share)]);
  };
  const release = () => {
    if (dragged !== null && move) move(Number(dragged.toPrecision(3)), () => setDragged(null));
    else if (picking) show(Math.min(...picking), Math.max(...picking));
    setPicking(null);
  };
  const picked = (n: number) =>
    picking !== null && n >= Math.min(...picking) && n <= Math.max(...picking);
  return (
    <svg
      ref={svg}
      viewBox={`0 0 ${box.width} ${box.height}`}
      width="100%"
      height={box.height}
      style={{ touchAction: "none" }}
      onPointerDown={(event) => {
        const share = shareAt(event);
        if (share === null || dragged !== null || event.button !== 0) return;
        svg.current?.setPointerCapture(event.pointerId);
        setPicking([barAt(share), barAt(share)]);
      }}
      onPointerMove={drag}
      onPointerUp={release}
      role="img"
      aria-label="Histogram"
    >
      {marksOf(least, most).map((share) => (
        <g key={share}>
          <line
            x1={box.left}
            x2={box.width - box.right}
            y1={y(share)}
            y2={y(share)}
            stroke={palette.rule}
          />
          <text
            x={box.left - 5}
            y={y(share) + 3.5}
            fontSize="10.5"
            textAnchor="end"
            fill={palette.muted}
          >
            {percent(share)}
          </text>
        </g>
      ))}
      {values.map((value, n) => {
        const [a, b] = [bounds[n] as number, bounds[n + 1] as number];
        const told = `${whole(cells[n] ?? 0)} cells from ${short(a)} to ${short(b)}${metric?.unit ?? ""}`;
        return (
          // biome-ignore lint/a11y/useSemanticElements: a bar of a drawing cannot be a button element
          <rect
            key={a}
            role="button"
            tabIndex={value ? 0 : -1}
            aria-label={told}
            x={x(a)}
            width={Math.max(x(b) - x(a) - 1, 1)}
            y={y(shares[n] ?? 0)}
            height={base - y(shares[n] ?? 0)}
            fill={rgb(shade((a + b) / 2))}
            stroke={picked(n) ? palette.ochre : palette.muted}
            strokeWidth={picked(n) ? "2" : "0.4"}
            style={{ cursor: "pointer" }}
            onKeyDown={(event) => event.key === "Enter" && show(n, n)}
          >
            <title>{`${told}: ${percent(shares[n] ?? 0)}`}</title>
          </rect>
        );
      })}
      {others && (
        <path
          d={`M${x(ends[0] as number)},${base} ${others
            .map((share, n) => `V${y(share)} H${x(bounds[n + 1] as number)}`)
            .join(" ")} V${base}`}
          fill="none"
          stroke={palette.rust}
          strokeWidth="1.5"
          pointerEvents="none"
          aria-label="the other state"
        />
      )}
      {limit !== null && limit >= low && limit <= high && (
        <g
          style={{ cursor: move ? "ew-resize" : undefined }}
          onPointerDown={(event) => {
            event.stopPropagation();
            svg.current?.setPointerCapture(event.pointerId);
            if (move) setDragged(limit);
          }}
        >
          <rect
            x={x(limit) - 6}
            width="12"
            y={box.top}
            height={base - box.top}
            fill="transparent"
          />
          <line
            x1={x(limit)}
            x2={x(limit)}
            y1={box.top}
            y2={base}
            stroke={palette.madder}
            strokeWidth="2"
          />
          <path
            d={`M${x(limit) - 5},${box.top} h10 l-5,7 z`}
            fill={palette.madder}
            aria-label="gate"
          />
        </g>
      )}
      {[0, 0.25, 0.5, 0.75, 1].map((share) => (
        <text
          key={share}
          x={box.left + share * width}
          y={box.height - 5}
          fontSize="10.5"
          textAnchor={share === 0 ? "start" : share === 1 ? "end" : "middle"}
          fill={palette.muted}
        >
          {short(valueAt(share))}
          {metric?.unit}
        </text>
      ))}
    </svg>
  );
}

/** What each value is of them all. */
function sharesOf(values: number[]): number[] {
  const all = values.reduce((sum, value) => sum + value, 0) || 1;
  return values.map((value) => value / all);
}

/** Shares to mark on the axis: powers of ten, or where these are few a half and a fifth of them too. */
function marksOf(least: number, most: number): number[] {
  const powers = [1, 0.1, 0.01, 0.001, 1e-4, 1e-5];
  const seen = (marks: number[]) => marks.filter((share) => share <= most && share >= least);
  const found = seen(powers);
  return found.length > 1 ? found : seen(powers.flatMap((share) => [share, share / 2, share / 5]));
}
