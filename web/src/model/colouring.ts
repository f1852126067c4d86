/** The colour scale of a metric: from its worst value to its best, by equal factors where its values are spread so. */
interface Scaled {
  log: boolean;
  better: "high" | "low";
  worst: number;
  best: number;
}

export interface Range {
  worst: number;
  best: number;
  log: boolean;
}

export const colourRange = (metric: Scaled): Range => {
  const log = metric.log && metric.worst > 0 && metric.best > 0;
  return { worst: metric.worst, best: metric.best, log };
};

/** Gives the place of a value on the scale: 0 the worst, 1 the best. */
export function shareOf(value: number, { worst, best, log }: Range): number {
  if (worst === best) return 1;
  const share = log
    ? Math.log(value / worst) / Math.log(best / worst)
    : (value - worst) / (best - worst);
  return Math.min(Math.max(share, 0), 1);
}
