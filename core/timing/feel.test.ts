import { expect, it } from 'vitest';
import { meterMap } from '../time/meter';
import { tempoMap } from '../time/tempo';
import { feelAt, feelOf, SHIPPED_FEELS } from './feel';
import { feelSchema } from './schema';
import { feelOfStrokes } from './takingFeel';

const meter = meterMap([{ bar: 1, beats: 4, unit: 4 }]);

it('a feel is the mean of what was struck at each place in the bar', () => {
  const struck = [
    { line: 0, ms: 2, velocity: 90 },
    { line: 3840, ms: 6, velocity: 110 },
    { line: 480, ms: 20, velocity: 60 },
  ];
  const feel = feelOf('Own', struck, meter)!;
  expect(feel.bar).toBe(3840);
  expect(feel.places.map((p) => [p.at, p.ms, Math.round(p.touch)])).toEqual([
    [0, 4, 13],
    [480, 20, -27],
  ]);
  // Between its places it goes evenly, round the bar's end as well.
  expect(feelAt(feel, 240).ms).toBe(12);
  expect(feelAt(feel, (480 + 3840) / 2).ms).toBe(12);
  expect(feelAt(feel, 3840).ms).toBe(4);
  expect(feelOf('None', [], meter)).toBeNull();
});

it('of a song with two meters it is the one that most was struck in', () => {
  const both = meterMap([
    { bar: 1, beats: 4, unit: 4 },
    { bar: 2, beats: 3, unit: 4 },
  ]);
  const struck = [0, 3840, 3840 + 960, 3840 + 2880].map((line) => ({ line, ms: 1, velocity: 80 }));
  expect(feelOf('Own', struck, both)!.bar).toBe(2880);
});

it('those that ship are valid, and each is of its own', () => {
  for (const feel of SHIPPED_FEELS) expect(feelSchema.parse(feel)).toEqual(feel);
  expect(new Set(SHIPPED_FEELS.map((f) => f.name)).size).toBe(SHIPPED_FEELS.length);
});

it('strokes of a recording have one, whatever chance adds', () => {
  const clock = { tempo: tempoMap([{ tick: 0, bpm: 100 }]), meter };
  const strokes = Array.from({ length: 256 }, (_, i) => ({
    at: i * 0.3 + (i % 2 ? 0.024 : 0) + 0.004 * Math.sin(i * 7.3),
    strength: i % 2 ? 2 : 6,
  }));
  const feel = feelOfStrokes('Drums', strokes, '16 straight', clock, { from: 0, to: 32 * 3840 })!;
  expect(feel.places).toHaveLength(8);
  feel.places.forEach((p, i) => expect(Math.abs(p.ms - (i % 2 ? 24 : 0))).toBeLessThan(3));
  expect(feel.places[0]!.touch).toBeGreaterThan(feel.places[1]!.touch);
});
