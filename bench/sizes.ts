/** True in a short run: it shows that every area runs and ends, not that its figures hold. */
export const SHORT = process.env.TALL_KETTLE_BENCH === 'short';

/** Size of a measurement: the usual one, or that of a short run. */
export const sized = (usual: number, short: number): number => (SHORT ? short : usual);

/** All of a list, or its first few in a short run. */
export const some = <T>(all: readonly T[], short = 1): readonly T[] => (SHORT ? all.slice(0, short) : all);
