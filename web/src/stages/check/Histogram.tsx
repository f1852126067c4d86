import { Box } from "@chakra-ui/react";
import { type PointerEvent, useRef, useState } from "react";
import { http, taken } from "../../api/client";
import { colourRange, shareOf } from "../../model/colouring";
import { short, whole } from "../../model/numbers";
import { freshId, replaced } from "../../model/places";
import type { Quality, Step } from "../../model/types";
import { useBoardData } from "../../session/context";
import { useBoard } from "../../session/store";
import { usePalette } from "../../theme/mode";
import { cividis } from "../../theme/palette";
import { Empty, Heading } from "../../theme/parts";
import { useWidth } from "../../theme/useWidth";

const FRAME = { height: 136, left: 46, right: 12, top: 6, bottom: 20 };
const rgb = (share: number) =>
  `rgb(${cividis(share)
    .map((v) => Math.round(255 * v))
    .join(",")})`;

/** The histogram of a metric with the gate as a line to drag; a click on a bar shows its cells. */
export function Histogram() {
  const { quality } = useBoardData();
  if (!quality)
    return (
      <Box>
        <Heading>Histogram</Heading>
        <Empty>It appears with the grid.</Empty>
      </Box>
    );
  return <Bars quality={quality} />;
}

function Bars({ quality }: { quality: Quality }) {
  const { project, model, keepSteps } = useBoardData();
  const palette = usePalette();
  const here = useBoard((board) => board.here);
  const set = useBoard((board) => board.set);
  const svg = useRef<SVGSVGElement>(null);
  const box = { ...FRAME, width: useWidth(svg, 460) };
  const [dragged, setDragged] = useState<number | null>(null);
  const [said, setSaid] = useState("");
  const metric = quality.metrics.find((m) => m.key === quality.metric);
  const limit = dragged ?? model.limits[quality.metric] ?? null;
  const { bounds, counts } = quality;
  const ends = [bounds[0] as number, bounds.at(-1) as number];
  const [low, high] = [
    Math.min(ends[0] as number, limit ?? Number.POSITIVE_INFINITY),
    Math.max(ends[1] as number, limit !== null && limit < 5 * (ends[1] as number) ? limit : -1e99),
  ] as [number, number];
  const log = quality.metric.endsWith("_ratio") && low > 0;
  const place = (v: number) =>
    log ? Math.log(v / low) / Math.log(high / low) : (v - low) / (high - low);
  const width = box.width - box.left - box.right;
  const x = (v: number) => box.left + width * place(v);
  const most = Math.max(...counts);
  const base = box.height - box.bottom;
  const y = (n: number) =>
    n ? base - ((base - box.top) * Math.log1p(n)) / Math.log1p(most) : base;
  // The colour of a value is the one that the view gives it.
  const shade = (v: number) => (metric ? shareOf(v, colourRange(metric)) : 1);
  const show = async (n: number) => {
    const query = {
      metric: quality.metric,
      low: bounds[n] as number,
      high: bounds[n + 1] as number,
    };
    const found = await taken(
      http.GET("/api/projects/{project}/cells", {
        params: { path: { project }, query: here === null ? query : { ...query, upto: here } },
      }),
    );
    set({ shown: found.cells, layer: "Quality" });
    const part = found.cells.length < found.all ? `, ${found.cells.length} of them shown` : "";
    setSaid(`${whole(found.all)} cells from ${short(query.low)} to ${short(query.high)}${part}`);
  };
  const drag = (event: PointerEvent) => {
    if (dragged === null || !svg.current) return;
    const matrix = svg.current.getScreenCTM();
    if (!matrix) return;
    const at = new DOMPoint(event.clientX, event.clientY).matrixTransform(matrix.inverse()).x;
    const share = Math.min(Math.max((at - box.left) / width, 0), 1);
    setDragged(log ? low * (high / low) ** share : low + share * (high - low));
  };
  const release = () => {
    if (dragged === null) return;
    const value = Number(dragged.toPrecision(3));
    const limited = (now: Step[]) => {
      const gate = now.findLast((step) => step.kind === "gate");
      const step = gate ?? { kind: "gate", id: freshId("gate", now) };
      const next = { ...step, [quality.metric]: value };
      return gate ? replaced(now, next) : [...now, next];
    };
    keepSteps(limited, () => setDragged(null));
  };
  return (
    <Box minW="0">
      <Heading
        right={
          said ||
          (limit === null
            ? "no limit"
            : `gate ${metric?.better === "high" ? "≥" : "≤"} ${short(limit)}${metric?.unit}`)
        }
      >
        {metric?.label ?? ""}: cells by value (log count)
      </Heading>
      <svg
        ref={svg}
        viewBox={`0 0 ${box.width} ${box.height}`}
        width="100%"
        height="138"
        onPointerMove={drag}
        onPointerUp={release}
        role="img"
        aria-label="Histogram"
      >
        {[1, 10, 100, 1000, 10000, 100000]
          .filter((n) => n <= most)
          .map((n) => (
            <g key={n}>
              <line
                x1={box.left}
                x2={box.width - box.right}
                y1={y(n)}
                y2={y(n)}
                stroke={palette.rule}
              />
              <text
                x={box.left - 5}
                y={y(n) + 3.5}
                fontSize="10.5"
                textAnchor="end"
                fill={palette.muted}
              >
                {whole(n)}
              </text>
            </g>
          ))}
        {counts.map((count, n) => {
          const [a, b] = [bounds[n] as number, bounds[n + 1] as number];
          return (
            // biome-ignore lint/a11y/useSemanticElements: a bar of a drawing cannot be a button element
            <rect
              key={a}
              role="button"
              tabIndex={count ? 0 : -1}
              aria-label={`${count} cells from ${short(a)} to ${short(b)}`}
              x={x(a)}
              width={Math.max(x(b) - x(a) - 1, 1)}
              y={y(count)}
              height={base - y(count)}
              fill={rgb(shade((a + b) / 2))}
              stroke={palette.muted}
              strokeWidth="0.4"
              style={{ cursor: "pointer" }}
              onClick={() => void show(n)}
              onKeyDown={(event) => event.key === "Enter" && void show(n)}
            />
          );
        })}
        {limit !== null && limit >= low && limit <= high && (
          <g
            style={{ cursor: "ew-resize", touchAction: "none" }}
            onPointerDown={(event) => {
              svg.current?.setPointerCapture(event.pointerId);
              setDragged(limit);
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
        {[0, 0.25, 0.5, 0.75, 1].map((share) => {
          const v = log ? low * (high / low) ** share : low + share * (high - low);
          return (
            <text
              key={share}
              x={box.left + share * width}
              y={box.height - 5}
              fontSize="10.5"
              textAnchor={share === 0 ? "start" : share === 1 ? "end" : "middle"}
              fill={palette.muted}
            >
              {short(v)}
              {metric?.unit}
            </text>
          );
        })}
      </svg>
    </Box>
  );
}
