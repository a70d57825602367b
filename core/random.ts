import { unsafeUniformIntDistribution, xoroshiro128plus, type RandomGenerator } from 'pure-rand';

/** Seeded random numbers, the only kind that the core may use. */
export interface Seeded {
  /** Evenly in [0, 1). */
  readonly unit: () => number;
  /** Evenly over the whole numbers from `low` to `high`, both included. */
  readonly integer: (low: number, high: number) => number;
  /** Normal distribution around 0 with a standard deviation (Box and Muller 1958), clipped at three of them. */
  readonly normal: (spread: number) => number;
  readonly pick: <T>(from: readonly T[]) => T;
}

export function seeded(seed: number): Seeded {
  const generator: RandomGenerator = xoroshiro128plus(seed);
  // The first values of small seeds are alike, and are skipped.
  for (let i = 0; i < 16; i += 1) generator.unsafeNext();
  const integer = (low: number, high: number) => unsafeUniformIntDistribution(low, high, generator);
  const unit = () => integer(0, 0x7ffffffe) / 0x7fffffff;
  return {
    unit,
    integer,
    normal(spread) {
      const size = Math.sqrt(-2 * Math.log(1 - unit()));
      return spread * Math.max(-3, Math.min(3, size * Math.cos(2 * Math.PI * unit())));
    },
    pick: (from) => from[integer(0, from.length - 1)]!,
  };
}
