/** Random recipes, and music to treat, for property tests. Not part of the program. */
import fc from 'fast-check';
import type { Note } from '../performance/notes';
import { meterMap, type MeterChange } from '../time/meter';
import { tempoMap, type TempoChange } from '../time/tempo';
import { SHIPPED_FEELS } from '../timing/feel';
import { GRIDS } from '../timing/grid';
import type { Clock } from '../timing/lattice';
import { ENDS, type Recipe } from '../timing/recipe';
import { meterChanges, notes, reading, tempoChanges } from './arbitraries';
import { played, STYLES } from './players';
import { real } from './realNumbers';

const share = real(0, 1);
const ms = (most: number) => real(0, most);
export const recipes: fc.Arbitrary<Recipe> = fc.record(
  {
    grid: fc.constantFrom(...GRIDS),
    second: fc.constantFrom(...GRIDS),
    lines: fc.constantFrom('phrase' as const, 'nearest' as const),
    way: fc.constantFrom('grid' as const, 'steady' as const),
    strength: fc.oneof(share, fc.constant(1)),
    ends: fc.constantFrom(...ENDS),
    endStrength: share,
    drift: share,
    small: share,
    swing: fc.record({
      percent: real(50, 75),
      of: fc.constantFrom(8 as const, 16 as const),
    }),
    offset: real(-100, 100),
    within: ms(60),
    beyond: ms(150),
    chord: ms(120),
    touch: fc.record({ level: fc.integer({ min: 1, max: 127 }), strength: share, range: ms(2) }, { requiredKeys: [] }),
    feel: fc.record({ feel: fc.constantFrom(...SHIPPED_FEELS), timing: share, touch: share }),
    loose: fc.record({ spread: ms(40), seed: fc.integer({ min: 0, max: 999 }) }),
  },
  { requiredKeys: ['grid', 'strength', 'ends'] },
);

export const clocks: fc.Arbitrary<Clock> = fc
  .record({ tempo: tempoChanges(3), meter: meterChanges })
  .map(({ tempo, meter }) => ({ tempo: tempoMap(tempo), meter: meterMap(meter) }));

export interface Music {
  readonly notes: readonly Note[];
  readonly tempo: readonly TempoChange[];
  readonly meter: readonly MeterChange[];
  readonly clock: Clock;
}

const withClock = (music: Omit<Music, 'clock'>): Music => ({
  ...music,
  clock: { tempo: tempoMap(music.tempo), meter: meterMap(music.meter) },
});

/** Random music, and music that a player might have played. */
export const music: fc.Arbitrary<Music> = fc.oneof(
  fc
    .record({ notes, tempo: tempoChanges(3), meter: meterChanges })
    .map((m) => withClock({ ...m, notes: reading(m.notes).notes })),
  fc
    .record({
      ...{ seed: fc.integer({ min: 1, max: 1e6 }), style: fc.constantFrom(...STYLES) },
      ...{ bpm: fc.integer({ min: 70, max: 180 }), bars: fc.constant(3), noise: fc.integer({ min: 4, max: 35 }) },
    })
    .map((settings) => played(settings))
    .map(({ notes: all, tempo }) =>
      withClock({ notes: all, tempo: tempo.changes, meter: [{ bar: 1, beats: 4, unit: 4 }] }),
    ),
);
