/** Mutations of valid bytes and JSON values. */
import fc from 'fast-check';
import type { Seeded } from '../core/random';

/** Bytes with some mutations: flipped, cut, left out, repeated, set to special values. */
export function brokenBytes(bytes: Uint8Array, random: Seeded): Buffer {
  let broken: Buffer = Buffer.from(bytes);
  for (let times = random.integer(1, 4); times > 0 && broken.length > 0; times -= 1) {
    const at = random.integer(0, broken.length - 1);
    const length = random.integer(1, Math.min(random.pick([1, 1, 2, 4, 64]), broken.length - at));
    const [before, after] = [broken.subarray(0, at), broken.subarray(at + length)];
    const piece = broken.subarray(at, at + length);
    const other = Buffer.from(piece);
    broken = random.pick<() => Buffer>([
      () => Buffer.concat([before, other.map((b) => b ^ (1 << random.integer(0, 7))), after]),
      () => Buffer.concat([before, other.fill(random.pick([0, 0x7f, 0x80, 0xff])), after]),
      () => Buffer.concat([before, other.map(() => random.integer(0, 255)), after]),
      () => Buffer.concat([before, piece, piece, after]),
      () => Buffer.concat([before, after]),
      () => Buffer.from(before),
    ])();
  }
  return broken;
}

const ODD: readonly unknown[] = [
  ...[null, true, '', 'x', -1, 0, 1.5, 1e308, -1e308, 4_294_967_295, Number.MAX_SAFE_INTEGER],
  ...['\u0000', '\ud800', '__proto__', 'x'.repeat(10_000), [], {}, [[]], '../../x', '1e9'],
];
const values = fc.sample(fc.jsonValue({ maxDepth: 3 }), { numRuns: 400, seed: 7 });

const oddValue = (random: Seeded): unknown => random.pick(random.unit() < 0.7 ? ODD : values);

/** Value with one mutation inside: changed, left out, or repeated. */
export function brokenValue(value: unknown, random: Seeded): unknown {
  if (value === null || typeof value !== 'object' || random.unit() < 0.12) return oddValue(random);
  const keys = Object.keys(value);
  if (keys.length === 0) return oddValue(random);
  const key = random.pick(keys);
  const inner = (value as Record<string, unknown>)[key];
  if (Array.isArray(value)) {
    const at = Number(key);
    return random.pick<() => unknown[]>([
      () => (value as unknown[]).with(at, brokenValue(inner, random)),
      () => (value as unknown[]).with(at, brokenValue(inner, random)),
      () => (value as unknown[]).toSpliced(at, 1),
      () => (value as unknown[]).toSpliced(at, 0, inner),
    ])();
  }
  if (random.unit() < 0.1) return Object.fromEntries(Object.entries(value).filter(([name]) => name !== key));
  return { ...value, [key]: brokenValue(inner, random) };
}
