import type { MeterChange } from '../core/time/meter';
import type { TempoChange } from '../core/time/tempo';
import { chords, type Chord } from './writtenParts';

/** Form of a demo song. */
export interface Form {
  readonly title: string;
  readonly tempo: readonly TempoChange[];
  readonly meter: MeterChange;
  readonly sections: readonly { readonly name: string; readonly bars: number; readonly busy: number }[];
  /** Chords in a circle, one a bar. */
  readonly changes: Readonly<Record<string, readonly Chord[]>>;
  readonly backing: string;
}

export const barsOf = (form: Form): number => form.sections.reduce((sum, s) => sum + s.bars, 0);

/** Chord of each bar, with the section's busyness, 0 to 1. */
export function barPlan(form: Form): { chord: Chord; busy: number; section: string; first: boolean }[] {
  return form.sections.flatMap(({ name, bars, busy }) => {
    const round = form.changes[name.replace(/ \d$/, '')] ?? form.changes.Verse!;
    return Array.from({ length: bars }, (_, i) => ({
      chord: round[i % round.length]!,
      busy,
      section: name,
      first: i === 0,
    }));
  });
}

export const ORCHARD_GATE: Form = {
  title: 'The Orchard Gate',
  tempo: [{ tick: 0, bpm: 96 }],
  meter: { bar: 1, beats: 4, unit: 4 },
  sections: [
    { name: 'Intro', bars: 4, busy: 0.2 },
    { name: 'Verse 1', bars: 8, busy: 0.5 },
    { name: 'Link', bars: 4, busy: 0.4 },
    { name: 'Chorus 1', bars: 8, busy: 0.9 },
    { name: 'Verse 2', bars: 8, busy: 0.6 },
    { name: 'Chorus 2', bars: 8, busy: 1 },
    { name: 'Ending', bars: 4, busy: 0.3 },
  ],
  changes: {
    Intro: chords('F:maj7 D:min7 Bb:maj7 C:sus'),
    Verse: chords('F:maj7 A:min7 Bb:maj7 C:dom7 D:min7 G:min7 Bb:maj7 C:sus'),
    Link: chords('G:min7 A:min7 Bb:maj7 C:sus'),
    Chorus: chords('Bb:maj7 C:dom7 A:min7 D:min7 G:min7 C:dom7 F:maj7 C:sus'),
    Ending: chords('F:maj7 D:min7 Bb:maj7 F:add9'),
  },
  backing: 'Drums and bass mix',
};

const RIT_FROM = 28 * 2880;

export const NIGHT_FERRY: Form = {
  title: 'Night Ferry',
  tempo: [
    { tick: 0, bpm: 84 },
    { tick: RIT_FROM, bpm: 84, ramp: 'linear' },
    { tick: 32 * 2880, bpm: 50 },
  ],
  meter: { bar: 1, beats: 6, unit: 8 },
  sections: [
    { name: 'Intro', bars: 4, busy: 0.2 },
    { name: 'Verse 1', bars: 8, busy: 0.5 },
    { name: 'Chorus 1', bars: 8, busy: 0.8 },
    { name: 'Verse 2', bars: 8, busy: 0.5 },
    { name: 'Ending', bars: 4, busy: 0.2 },
  ],
  changes: {
    Intro: chords('D:min9 Bb:maj7'),
    Verse: chords('D:min9 Bb:maj7 G:min7 A:dom7'),
    Chorus: chords('F:maj7 C:add9 G:min7 Bb:maj7'),
    Ending: chords('D:min9 Bb:maj7 G:min7 D:min9'),
  },
  backing: 'Band without keys',
};

/** Slow Tide was played without a click: its tempo is in the backing, not in the song. */
export const SLOW_TIDE: Form = {
  title: 'Slow Tide',
  tempo: [{ tick: 0, bpm: 72 }],
  meter: { bar: 1, beats: 4, unit: 4 },
  sections: [
    { name: 'Verse 1', bars: 8, busy: 0.4 },
    { name: 'Chorus 1', bars: 8, busy: 0.7 },
    { name: 'Verse 2', bars: 8, busy: 0.5 },
  ],
  changes: {
    Verse: chords('C:add9 G:add9 A:min7 F:maj7'),
    Chorus: chords('F:maj7 G:dom7 E:min7 A:min7'),
  },
  backing: 'Live band, no click',
};

/** Tempo of the band in Slow Tide: within 4% of 72, changing every two bars. */
export const SLOW_TIDE_PLAYED: readonly TempoChange[] = [
  72, 72.6, 73.4, 74.2, 74.6, 74.8, 74.1, 73.2, 72.1, 71, 70.2, 69.6,
].map((bpm, i) => ({ tick: i * 2 * 3840, bpm, ramp: 'linear' }));
