/** Measured figure with its target. */
export interface Figure {
  readonly area: string;
  readonly name: string;
  readonly value: number;
  readonly unit: string;
  /** Target; undefined for a bound. */
  readonly target: string;
  readonly holds: boolean;
  /** Reason why it is void, where the machine could not keep up. */
  readonly notMeasured?: string;
}

/** Figure that must stay under a limit. */
export const under = (area: string, name: string, value: number, unit: string, limit: number): Figure => ({
  area,
  name,
  value,
  unit,
  target: `under ${limit}`,
  holds: value < limit,
});

/** Figure that must not exceed a limit. */
export const atMost = (area: string, name: string, value: number, unit: string, limit: number): Figure => ({
  area,
  name,
  value,
  unit,
  target: `at most ${limit}`,
  holds: value <= limit,
});

/** Figure that must reach a limit. */
export const atLeast = (area: string, name: string, value: number, unit: string, limit: number): Figure => ({
  area,
  name,
  value,
  unit,
  target: `at least ${limit}`,
  holds: value >= limit,
});

/** Figure that bounds others, without a target. */
export const bound = (area: string, name: string, value: number, unit: string): Figure => ({
  area,
  name,
  value,
  unit,
  target: '',
  holds: true,
});

export const quantile = (values: readonly number[], share: number): number => {
  const sorted = [...values].sort((a, b) => a - b);
  return sorted[Math.min(sorted.length - 1, Math.floor(sorted.length * share))] ?? Number.NaN;
};
