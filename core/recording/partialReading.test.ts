import fc from 'fast-check';
import { expect, it } from 'vitest';
import { header, layerEvents } from '../testing/arbitraries';
import type { Note } from '../performance/notes';
import { EVERYTHING } from './inputRoutes';
import type { HeardList, Lap, ListeningPart } from './lap';
import { NotesSoFar } from './partialReading';
import { readingSoFar } from './hearingWhileRecording';

const withoutIds = (notes: readonly Note[]) => notes.map(({ id: _, ...note }) => note);

const voice = (id: string, from: number): ListeningPart => {
  const planned = { from, to: 76_800 };
  return { header: header({ id, planned }), route: EVERYTHING, from: from / 1920, to: null };
};
const lapOf = (recorded: HeardList | null, lap: number): Lap => ({
  ...{ passId: 'p', mode: 'merge', lap, frame: lap * 4, startsAt: lap * 4, endsAt: 44, margin: 0.5, listening: [] },
  ...{ recorded, opened: true, ended: null, seam: { start: lap > 0, end: false } },
});

it('has the notes that reading the whole layer has, at every moment, from lap to lap', () => {
  fc.assert(
    fc.property(
      fc.array(layerEvents(0, 40), { minLength: 1, maxLength: 3 }),
      fc.integer({ min: 0, max: 9000 }),
      fc.array(fc.integer({ min: 1, max: 9 }), { minLength: 1 }),
      (laps, from, steps) => {
        const soFar = new NotesSoFar();
        laps.forEach((events, n) => {
          const part = voice(`layer ${n}`, from);
          let recorded: HeardList | null = null;
          let next = 0;
          for (let i = 0; next < events.length; i += 1) {
            const until = next + steps[i % steps.length]!;
            for (; next < Math.min(until, events.length); next += 1) {
              const { at, message } = events[next]!;
              recorded = { heard: { at: at + 4 * n, port: 'bench', message }, before: recorded };
            }
            const lap = lapOf(recorded, n);
            const now = recorded!.heard.at + 0.01;
            expect(withoutIds(soFar.of(lap, part, now))).toEqual(withoutIds(readingSoFar(lap, part, now).notes));
          }
        });
      },
    ),
  );
});

it('reads what was let go long ago no more', () => {
  const part = voice('layer', 0);
  const soFar = new NotesSoFar();
  let recorded: HeardList | null = null;
  let walked = 0;
  for (let i = 0; i < 5000; i += 1) {
    const type = i % 2 ? ('noteOff' as const) : ('noteOn' as const);
    const heard = { at: i * 0.008, port: 'bench', message: { type, key: 60, velocity: 64 } };
    const before: HeardList | null = recorded;
    recorded = {
      heard,
      get before(): HeardList | null {
        walked += 1;
        return before;
      },
    };
    if (i % 10 === 9) soFar.of(lapOf(recorded, 0), part, i * 0.008 + 0.001);
  }
  expect(soFar.of(lapOf(recorded, 0), part, 41)).toHaveLength(2500);
  expect(walked).toBeLessThan(10_000);
});
