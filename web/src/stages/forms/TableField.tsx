import { Box, Text } from "@chakra-ui/react";
import { type KeyboardEvent, type PointerEvent, useRef, useState } from "react";
import { short } from "../../model/numbers";
import { usePalette } from "../../theme/mode";
import { useWidth } from "../../theme/useWidth";
import { PlacesField } from "./PlacesField";
import type { FieldProps } from "./values";

type Point = [number, number];

type Props = FieldProps & { id: string };

const BOX = { height: 112, left: 34, right: 8, top: 8, bottom: 16 };
const EVEN: Point[] = [
  [0, 1],
  [1, 1],
];
const digits = (value: number): number => Number(value.toPrecision(3));

/** Relative cell sizes along an edge: drawn as a line over the place, on a log scale, or typed below. */
export function TableField(props: Props) {
  const given = props.value as Point[] | undefined;
  const points = given && given.length > 1 ? given : EVEN;
  const palette = usePalette();
  const svg = useRef<SVGSVGElement>(null);
  const box = { ...BOX, width: useWidth(svg, 210) };
  const [dragged, setDragged] = useState<number | null>(null);
  const [held, setHeld] = useState<[number, number] | null>(null);
  const sizes = points.map(([, size]) => Math.max(size, 1e-9));
  const fitted: [number, number] = [Math.min(...sizes) / 2, Math.max(...sizes) * 2];
  const [low, high] = held ?? fitted;
  const width = box.width - box.left - box.right;
  const base = box.height - box.bottom;
  const x = (place: number) => box.left + width * place;
  const y = (size: number) =>
    box.top + (base - box.top) * (1 - Math.log(size / low) / Math.log(high / low));

  const keep = (next: Point[]) =>
    props.change(next.map(([place, size]) => [digits(place), digits(size)]));
  /** Puts a point somewhere; the ends keep their places, the others stay between their neighbours. */
  const put = (n: number, place: number, size: number) => {
    const [before, after] = [points[n - 1]?.[0], points[n + 1]?.[0]];
    const inside =
      before === undefined
        ? 0
        : after === undefined
          ? 1
          : Math.min(Math.max(place, before + 0.005), after - 0.005);
    keep(points.map((point, k) => (k === n ? [inside, size] : point)));
  };
  const placeAt = (event: PointerEvent): Point => {
    const seen = (svg.current as SVGSVGElement).getBoundingClientRect();
    const across = ((event.clientX - seen.left) / seen.width) * box.width;
    const down = ((event.clientY - seen.top) / seen.height) * box.height;
    const up = 1 - (down - box.top) / (base - box.top);
    return [(across - box.left) / width, low * (high / low) ** Math.min(Math.max(up, 0), 1)];
  };
  const hold = (n: number, event: PointerEvent) => {
    svg.current?.setPointerCapture(event.pointerId);
    setHeld([fitted[0] / 3, fitted[1] * 3]);
    setDragged(n);
  };
  const add = (event: PointerEvent) => {
    const [place, size] = placeAt(event);
    const n = points.findIndex(([other]) => other > place);
    if (n < 1) return;
    keep([...points.slice(0, n), [place, size], ...points.slice(n)]);
    hold(n, event);
  };
  const remove = (n: number) => {
    if (n > 0 && n < points.length - 1) keep(points.filter((_, k) => k !== n));
  };
  const press = (event: KeyboardEvent, n: number) => {
    const [place, size] = points[n] as Point;
    const moves: Record<string, Point> = {
      ArrowUp: [place, size * 1.1],
      ArrowDown: [place, size / 1.1],
      ArrowLeft: [place - 0.01, size],
      ArrowRight: [place + 0.01, size],
    };
    const to = moves[event.key];
    if (to) put(n, ...to);
    else if (event.key === "Delete" || event.key === "Backspace") remove(n);
    else return;
    event.preventDefault();
  };
  const release = () => {
    setDragged(null);
    setHeld(null);
  };
  return (
    <Box>
      <svg
        ref={svg}
        viewBox={`0 0 ${box.width} ${box.height}`}
        width="100%"
        height={box.height}
        style={{ touchAction: "none", userSelect: "none", cursor: "crosshair", display: "block" }}
        onPointerDown={(event) => event.button === 0 && dragged === null && add(event)}
        onPointerMove={(event) => dragged !== null && put(dragged, ...placeAt(event))}
        onPointerUp={release}
        onLostPointerCapture={release}
      >
        <title>Sizes along the edge, drawn</title>
        <rect
          x={box.left}
          y={box.top}
          width={width}
          height={base - box.top}
          fill={palette.card}
          stroke={palette.rule}
        />
        {[fitted[1] / 2, fitted[0] * 2].map((size, n) => (
          <text
            // biome-ignore lint/suspicious/noArrayIndexKey: the two ends of the scale
            key={n}
            x={box.left - 4}
            y={y(size) + 4}
            fontSize="10"
            textAnchor="end"
            fill={palette.muted}
          >
            {n === 0 || fitted[1] > 4.4 * fitted[0] ? short(size, 2) : ""}
          </text>
        ))}
        {["start", "end"].map((end, n) => (
          <text
            key={end}
            x={x(n)}
            y={box.height - 4}
            fontSize="10"
            textAnchor={n ? "end" : "start"}
            fill={palette.muted}
          >
            {end}
          </text>
        ))}
        <polyline
          points={points.map(([place, size]) => `${x(place)},${y(size)}`).join(" ")}
          fill="none"
          stroke={palette.teal}
          strokeWidth="2"
        />
        {points.map(([place, size], n) => (
          <circle
            // biome-ignore lint/suspicious/noArrayIndexKey: a point is its number
            key={n}
            cx={x(place)}
            cy={y(size)}
            r="5"
            fill={palette.card}
            stroke={palette.rust}
            strokeWidth="2"
            tabIndex={0}
            role="slider"
            aria-label={`size at ${short(place)}`}
            aria-valuenow={size}
            style={{ cursor: "move" }}
            onPointerDown={(event) => {
              event.stopPropagation();
              hold(n, event);
            }}
            onDoubleClick={() => remove(n)}
            onKeyDown={(event) => press(event, n)}
          />
        ))}
      </svg>
      <Text fontSize="11px" color="muted" mb="1">
        A click adds a point, dragging moves it, a double click takes it out. Or type or paste lines
        of place and size:
      </Text>
      <PlacesField {...props} />
    </Box>
  );
}
