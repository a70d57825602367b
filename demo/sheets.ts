import { barStart, meterMap, type MeterMap } from '../core/time/meter';
import type { Ticks } from '../core/time/units';
import { barPlan, NIGHT_FERRY, ORCHARD_GATE, SLOW_TIDE, type Form } from './songs';
import { bassOf, voicing, type WrittenNote, type WrittenPart } from './writtenParts';

type Chart = ReturnType<typeof barPlan>;

function compile(
  form: Form,
  write: (bar: Chart[number], start: Ticks, index: number) => Omit<WrittenPart, 'pedals'> & Partial<WrittenPart>,
): WrittenPart {
  const meter = meterMap([form.meter]);
  const bars = barPlan(form).map((bar, i) => write(bar, barStart(meter, i + 1), i));
  return { notes: bars.flatMap((b) => b.notes), pedals: bars.flatMap((b) => b.pedals ?? []) };
}

const stack = (keys: readonly number[], start: Ticks, length: Ticks, velocity: number): WrittenNote[] =>
  keys.map((key) => ({ start, length, key, velocity }));

/** Electric piano of Orchard Gate: left hand on one and three, right hand pushed, a turn every fourth bar. */
function comping(form: Form): WrittenPart {
  return compile(form, ({ chord, busy }, start, i) => {
    const bass = bassOf(chord, 41);
    const high = voicing(chord, 60).slice(0, 3);
    const notes = [
      ...stack([bass], start, 1800, 72),
      ...stack([bass + (i % 2 ? 7 : 0)], start + 1920, 1700, 66),
      ...stack(high, start + 960 * 1.5, 900, 70),
    ];
    if (busy > 0.3)
      notes.push(...stack(high, start + 960 * 0.5, 420, 58), ...stack(high.slice(1), start + 960 * 3, 800, 66));
    if (busy > 0.7) notes.push(...stack(high, start + 960 * 2.5, 400, 74));
    if (i % 4 === 3)
      [12, 11, 9].forEach((up, k) =>
        notes.push({ start: start + 960 * (2 + k / 2), length: 460, key: high[2]! + up - 7, velocity: 76 }),
      );
    return { notes, pedals: [{ down: start + 60, up: start + 3500 }] };
  });
}

/** Tonewheel organ: held chords in the choruses and the ending. */
function held(form: Form): WrittenPart {
  return compile(form, ({ chord, section }, start) =>
    /Chorus|Ending/.test(section)
      ? {
          notes: [
            ...stack(voicing(chord, 65).slice(0, 3), start, 3600, 74),
            ...stack([bassOf(chord, 48)], start, 3700, 70),
          ],
        }
      : { notes: [] },
  );
}

/** Felt piano of Night Ferry: broken chords in sixes. */
function broken(form: Form): WrittenPart {
  return compile(form, ({ chord, busy }, start) => {
    const keys = voicing(chord, 57);
    const order = [0, 1, 2, 3, 2, 1].map((k) => keys[k % keys.length]!);
    const notes = order.map((key, k) => ({
      start: start + k * 480,
      length: 460,
      key: key + (busy > 0.6 && k === 3 ? 12 : 0),
      velocity: k % 3 ? 56 : 68,
    }));
    return {
      notes: [...notes, ...stack([bassOf(chord, 38)], start, 2700, 64)],
      pedals: [{ down: start + 40, up: start + 2760 }],
    };
  });
}

/** Slow chords for pads and strings. */
function pads(form: Form): WrittenPart {
  return compile(form, ({ chord }, start) => ({ notes: stack(voicing(chord, 58), start, 3700, 60) }));
}

/** Written parts of the demo, by the names in songs. */
export const SHEETS: Readonly<Record<string, () => WrittenPart>> = {
  'orchard gate: electric piano': () => comping(ORCHARD_GATE),
  'orchard gate: organ': () => held(ORCHARD_GATE),
  'orchard gate: pad': () => pads(ORCHARD_GATE),
  'night ferry: felt piano': () => broken(NIGHT_FERRY),
  'night ferry: strings': () =>
    compile(NIGHT_FERRY, ({ chord }, start) => ({ notes: stack(voicing(chord, 62).slice(0, 3), start, 2800, 58) })),
  'slow tide: grand': () => comping(SLOW_TIDE),
};

/** Study for any song: triads on the beats, wandering in thirds. The Bench keyboard plays it without a written part. */
export function study(meter: MeterMap, bars: number): WrittenPart {
  const roots = [0, 9, 5, 7];
  const notes: WrittenNote[] = [];
  for (let bar = 1; bar <= bars; bar += 1) {
    const start = barStart(meter, bar);
    const length = barStart(meter, bar + 1) - start;
    const root = roots[bar % 4]!;
    for (let beat = 0; beat * 960 < length; beat += 1) {
      notes.push(
        ...stack(
          [60 + root, 64 + root, 67 + root].slice(0, beat === 0 ? 3 : 1 + (beat % 2)),
          start + beat * 960,
          700,
          76 - 4 * (beat % 2),
        ),
      );
    }
    notes.push(...stack([36 + root], start, Math.min(length, 1900), 70));
  }
  return { notes, pedals: [] };
}
