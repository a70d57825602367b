import { seeded, type Seeded } from '../core/random';
import { patternHits, type Pattern } from '../core/backing/patterns';
import { barStart, meterMap, type MeterChange } from '../core/time/meter';
import { secondsAt, tempoMap, type TempoChange } from '../core/time/tempo';
import type { Seconds, Ticks } from '../core/time/units';
import { bassOf, chords, voicing, type Chord } from '../demo/writtenParts';
import type { ChannelSetting, Scheduled } from '../engine/instrument/schedule';

export type BandKind = 'drums and bass' | 'plucked' | 'strings and bass';
export type TempoKind = 'steady' | 'drifting' | 'ritardando' | '3/4' | '6/8' | 'swung' | 'sparse';

/** Instruments of the bench band: drums, fingered bass, steel guitar, strings. */
export const BENCH_BAND: readonly (readonly [number, ChannelSetting])[] = [
  [9, { program: 0, gain: 0.9, shape: [], drums: true }],
  [0, { program: 33, gain: 1.1, shape: [] }],
  [1, { program: 25, gain: 0.8, shape: [] }],
  [2, { program: 48, gain: 0.6, shape: [] }],
];

/** Recording with known beats. */
export interface BandSong {
  readonly kind: TempoKind;
  readonly band: BandKind;
  readonly meter: MeterChange;
  readonly events: readonly Scheduled[];
  readonly length: Seconds;
  /** Pulse: quarters, or dotted quarters in 6/8. */
  readonly beats: readonly Seconds[];
  readonly firsts: readonly Seconds[];
}

const ROUNDS = [
  'F:maj7 D:min7 G:min7 C:dom7',
  'A:min7 F:maj7 C:add9 G:dom7',
  'Eb:maj7 C:min9 F:min7 Bb:sus',
  'D:add9 B:min7 G:maj7 A:sus',
];

function tempoFor(kind: TempoKind, bpm: number, bar: Ticks, bars: number, random: Seeded): TempoChange[] {
  if (kind === 'drifting') {
    return Array.from({ length: Math.ceil(bars / 2) }, (_, i): TempoChange => ({
      tick: i * 2 * bar,
      ramp: 'linear',
      bpm: bpm * (1 + 0.04 * Math.sin(i * 0.7 + 6 * random.unit() * 0.1)),
    }));
  }
  if (kind === 'ritardando') {
    return [
      { tick: 0, bpm },
      { tick: (bars - 6) * bar, bpm, ramp: 'linear' },
      { tick: bars * bar, bpm: bpm * 0.62 },
    ];
  }
  return [{ tick: 0, bpm }];
}

const METERS: Partial<Record<TempoKind, MeterChange>> = {
  '3/4': { bar: 1, beats: 3, unit: 4 },
  '6/8': { bar: 1, beats: 6, unit: 8 },
};

function patternOf(kind: TempoKind, random: ReturnType<typeof seeded>): Pattern {
  switch (kind) {
    case 'swung':
      return random.pick(['shuffle', 'brushes'] as const);
    case '3/4':
      return 'waltz';
    case '6/8':
      return 'six-eight';
    default:
      return random.pick(['straight', 'light straight', 'half-time', 'four on the floor'] as const);
  }
}

/** Song of one kind by one band, with a few milliseconds of looseness. Equal seeds give equal songs. */
export function bandSong(kind: TempoKind, band: BandKind, seed: number): BandSong {
  const random = seeded(seed);
  const meter: MeterChange = METERS[kind] ?? { bar: 1, beats: 4, unit: 4 };
  const map = meterMap([meter]);
  const bar = map.spans[0]!.ticksPerBar;
  const bars = meter.beats === 4 ? 28 : 36;
  // In 6/8 the pulse is a dotted quarter: 54 to 76 of them are 81 to 114 quarters.
  const bpm = kind === '6/8' ? 84 + 30 * random.unit() : 76 + 58 * random.unit();
  const tempo = tempoMap(tempoFor(kind, bpm, bar, bars, random));
  const round = chords(random.pick(ROUNDS));
  const events: Scheduled[] = [];
  const lead: Seconds = 0.3 + random.unit();
  const press = (tick: Ticks, channel: number, key: number, velocity: number, length: Ticks) => {
    const at = lead + secondsAt(tempo, tick) + random.normal(0.003);
    const loud = Math.max(1, Math.min(127, Math.round(velocity + random.normal(5))));
    events.push(
      { at, channel, message: { type: 'noteOn', key, velocity: loud } },
      {
        at: Math.max(at + 0.02, lead + secondsAt(tempo, tick + length)),
        channel,
        message: { type: 'noteOff', key, velocity: 64 },
      },
    );
  };
  const swung = kind === 'swung';
  const pattern = patternOf(kind, random);
  const off = swung ? 640 : 480;
  const eighth = (half: number): Ticks => Math.floor(half) * 960 + (half % 1 ? off : 0);
  if (band === 'drums and bass' && kind !== 'sparse') {
    for (let first = 1; first <= bars; first += 8) {
      const range = { from: barStart(map, first), to: barStart(map, Math.min(bars + 1, first + 8)) };
      for (const hit of patternHits(pattern, range, map, first)) press(hit.at, 9, hit.key, hit.velocity, 100);
    }
  }
  for (let b = 0; b < bars; b += 1) {
    const chord: Chord = round[b % round.length]!;
    const start = b * bar;
    const bass = bassOf(chord, 28);
    const keys = voicing(chord, 55);
    const quarters = bar / 960;
    press(start, 0, bass, 92, 900);
    if (kind === 'sparse') {
      if (b % 2) press(start + 1920, 0, bass + 7, 80, 900);
      if (band === 'drums and bass') {
        press(start, 9, 36, 84, 100);
        press(start + 1920, 9, 37, 70, 100);
        if (b % 4 === 3) press(start + 2880, 9, 37, 66, 100);
      }
      keys.forEach((key) => press(start, band === 'plucked' ? 1 : 2, key, 66, 3600));
      if (b % 2 === 0) keys.slice(1).forEach((key) => press(start + 2880, 1, key, 54, 800));
      continue;
    }
    if (meter.unit === 8) press(start + 1440, 0, bass + 7, 82, 900);
    else if (quarters === 4) {
      press(start + eighth(1.5), 0, bass, 70, 300);
      press(start + 1920, 0, bass + (b % 2 ? 7 : 0), 88, 900);
    }
    if (band === 'plucked') {
      const step = meter.unit === 8 ? 480 : 0;
      for (let e = 0; e < quarters * 2; e += 1) {
        const at = step ? e * step : eighth(e / 2);
        const chordal = step ? e % 3 === 0 : e % 2 === 0;
        if (chordal) keys.forEach((key) => press(start + at, 1, key, e === 0 ? 84 : 70, 500));
        else press(start + at, 1, keys[e % keys.length]!, 58, 300);
      }
    } else if (band === 'strings and bass') {
      keys.forEach((key) => press(start, 2, key + 12, 70, bar - 60));
      for (let q = 1; q < quarters; q += meter.unit === 8 ? 1.5 : 1) {
        const at = meter.unit === 8 ? 1440 : q * 960;
        if (meter.unit === 8 && q > 1) break;
        keys.slice(0, 2).forEach((key) => press(start + at, 1, key, 60, 600));
      }
      if (b % 2) press(start + eighth(quarters - 0.5), 1, keys[2]!, 52, 300);
    }
  }
  const pulse = meter.unit === 8 ? 1440 : 960;
  const beats = Array.from({ length: (bars * bar) / pulse }, (_, i) => lead + secondsAt(tempo, i * pulse));
  const firsts = Array.from({ length: bars }, (_, b) => lead + secondsAt(tempo, b * bar));
  return {
    kind,
    band,
    meter,
    events: events.sort((a, b) => a.at - b.at),
    length: lead + secondsAt(tempo, bars * bar) + 1.5,
    beats,
    firsts,
  };
}
