import { Box } from "@chakra-ui/react";

const WIDTH = 260;
const HEIGHT = 54;

interface Props {
  /** What is drawn, for people who do not see it. */
  name: string;
  values: number[];
  /** Logarithmic, for what falls over orders of magnitude. */
  log?: boolean;
  text: string;
}

/** One value over the portions of a run, as a small curve with its last value. */
export function Curve({ name, values, log = false, text }: Props) {
  const height = (v: number) => (log ? Math.log10(Math.max(v, 1e-12)) : v);
  const seen = values.map(height);
  const low = Math.min(...seen);
  const span = Math.max(...seen) - low || 1;
  const points = seen.map(
    (v, n) =>
      `${((n * WIDTH) / Math.max(seen.length - 1, 1)).toFixed(1)},${(HEIGHT - 3 - ((HEIGHT - 6) * (v - low)) / span).toFixed(1)}`,
  );
  return (
    <Box mt="2">
      <Box display="flex" justifyContent="space-between" fontSize="12px">
        <Box color="muted">{name}</Box>
        <Box fontFamily="mono">{text}</Box>
      </Box>
      <Box
        as="svg"
        width="full"
        height={`${HEIGHT}px`}
        border="1px solid"
        borderColor="rule"
        borderRadius="sm"
        role="img"
        aria-label={`${name}: ${text}`}
        {...{ viewBox: `0 0 ${WIDTH} ${HEIGHT}`, preserveAspectRatio: "none" }}
      >
        <polyline points={points.join(" ")} fill="none" stroke="currentColor" strokeWidth="1.5" />
      </Box>
    </Box>
  );
}
