import fc from 'fast-check';

const FINEST = 2 ** 31 - 1;

/**
 * Any number of a range, as likely in one part of it as in another. `fc.double` draws from the numbers that a machine
 * has: of those between 0 and 1 nearly all lie beside 0, and a law that is tried on them has been tried on next to
 * nothing. They come, too, now and then.
 */
export const real = (min: number, max: number): fc.Arbitrary<number> =>
  fc.oneof(
    {
      weight: 15,
      arbitrary: fc.integer({ min: 0, max: FINEST }).map((n) => Math.min(max, min + (n / FINEST) * (max - min))),
    },
    { weight: 1, arbitrary: fc.double({ min, max, noNaN: true }) },
  );
