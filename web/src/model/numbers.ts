/** Numbers as an analyst reads them: three digits that matter, thousands apart. */
export function short(value: number, digits = 3): string {
  if (!Number.isFinite(value) || Math.abs(value) >= 1e15) return "∞";
  // What rounding leaves of a zero is told as one.
  if (Math.abs(value) < 1e-12) return "0";
  const size = Math.abs(value);
  if (size >= 1000) return whole(value);
  if (size < 1e-4) return value.toExponential(digits - 1).replace("e-", "e−");
  return String(Number(value.toPrecision(digits)));
}

/** A whole number with its thousands apart by narrow blanks. */
export const whole = (value: number): string =>
  Math.round(value)
    .toString()
    .replace(/\B(?=(\d{3})+$)/g, "\u202f");

/** Metres in one of each length unit. */
export const METRES: Record<string, number> = { m: 1, cm: 0.01, mm: 0.001, in: 0.0254, ft: 0.3048 };

/** A length in the project's unit, told in the unit that reads best among the metric ones. */
export function lengthText(value: number, unit: string): string {
  if (!(unit in METRES) || unit === "in" || unit === "ft" || value === 0)
    return `${short(value)} ${unit}`;
  const metres = value * (METRES[unit] as number);
  const best = Math.abs(metres) >= 0.5 ? "m" : Math.abs(metres) >= 0.02 ? "cm" : "mm";
  return `${short(metres / (METRES[best] as number))} ${best}`;
}

const LENGTH = /^\s*([-+]?(?:\d+(?:\.\d*)?|\.\d+)(?:[eE][-+]?\d+)?)\s*([A-Za-z]*)\s*$/;

/** Reads a length as it is typed, such as 6 mm, in the project's unit; null where it is none. */
export function lengthIn(text: string, unit: string): number | null {
  const found = LENGTH.exec(text);
  if (!found || (found[2] && !Object.hasOwn(METRES, found[2]))) return null;
  return (Number(found[1]) * (METRES[found[2] || unit] ?? 1)) / (METRES[unit] ?? 1);
}

/** A time to wait, in the unit that reads best. */
export const timeText = (seconds: number): string =>
  seconds < 100
    ? `${Math.ceil(seconds)} s`
    : seconds < 5400
      ? `${Math.ceil(seconds / 60)} min`
      : `${short(seconds / 3600, 2)} h`;

/** A share in per cent. */
export const percent = (share: number): string => `${short(100 * share, 2)} %`;

/** When something was, as the clock had it; with the day where that is another. */
export function clockText(seconds: number): string {
  const then = new Date(1000 * seconds);
  const clock = then.toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit" });
  const day = then.toLocaleDateString("en-GB", { day: "numeric", month: "short" });
  return then.toDateString() === new Date().toDateString() ? clock : `${day}, ${clock}`;
}
