import { seeded, type Seeded } from '../core/random';
import { secondsAt, tempoMap, type TempoChange } from '../core/time/tempo';
import type { Seconds, Ticks } from '../core/time/units';
import type { ChannelSetting, Scheduled } from '../engine/instrument/schedule';
import { beatMatch, SKIP } from './beatMatch';
import type { Groove } from './grooves';

/** Song in one groove, with its beats. */
export interface GrooveSong {
  readonly groove: Groove;
  readonly steady: boolean;
  readonly channels: readonly (readonly [number, ChannelSetting])[];
  readonly events: readonly Scheduled[];
  readonly length: Seconds;
  readonly beats: readonly Seconds[];
  readonly firsts: readonly Seconds[];
}

const STEP: Ticks = 240;
const DRUMS = 9;
const [BASS, CHORDS, LEAD] = [0, 1, 2];
const BASSES = [32, 33, 34, 38, 43];
const COMPING = [0, 1, 4, 16, 24, 25, 27, 48, 61];
const LEADS = [11, 26, 56, 65, 66, 73, 80];
const STRUCK = [0, 1, 4, 24, 25, 27];
const SCALE = [0, 2, 4, 5, 7, 9, 11];
/** Degrees of the chord progression, in fifths and steps. */
const ROUNDS = [
  [0, 5, 3, 4],
  [0, 3, 4, 4],
  [1, 4, 0, 0],
  [0, 4, 5, 3],
  [5, 3, 0, 4],
  [0, 0, 3, 0, 4, 3, 0, 4],
  [0, 6, 5, 4],
];

/** Pulse in steps: a dotted quarter where eighths are ternary. */
const pulseSteps = ({ beats, unit }: Groove): number => {
  if (unit === 4) return 4;
  return beats % 3 === 0 ? 6 : 2;
};

/** Number of pulses in a bar. */
export const pulsesOf = (groove: Groove): number => (groove.beats * 16) / groove.unit / pulseSteps(groove);

/** Test for times that match the beats, the median within some seconds or 20 ms. */
export function isBeat(times: readonly Seconds[], beats: readonly Seconds[], step: Seconds): boolean {
  if (beatMatch(times, beats).f < 0.9) return false;
  const off = beats.filter((b) => b > SKIP).map((b) => Math.min(...times.map((t) => Math.abs(t - b))));
  return off.sort((a, b) => a - b)[off.length >> 1]! < Math.max(0.02, step * 0.6);
}

function tempoOf(bpm: number, end: Ticks, random: Seeded): { tempo: TempoChange[]; steady: boolean } {
  const kind = random.unit();
  if (kind < 0.78) return { tempo: [{ tick: 0, bpm }], steady: true };
  const last = { tick: end, bpm: bpm * (0.6 + 0.2 * random.unit()) };
  if (kind < 0.86) return { tempo: [{ tick: 0, bpm }, { tick: end * 0.9, bpm, ramp: 'linear' }, last], steady: false };
  const size = 0.01 + 0.03 * random.unit();
  const every = 7680;
  const tempo = Array.from({ length: Math.ceil(end / every) }, (_, i): TempoChange => ({
    ...{ tick: i * every, ramp: 'linear' },
    bpm: bpm * (1 + size * Math.sin(i * 0.9 + random.unit())),
  }));
  return { tempo, steady: false };
}

/** Song of about a minute. Equal seeds give equal songs. */
export function grooveSong(groove: Groove, seed: number, wanted: Seconds = 55): GrooveSong {
  const random = seeded(seed);
  const pulse = pulseSteps(groove);
  const bar = (groove.beats * 16) / groove.unit;
  const bpm = groove.bpm[0] * (groove.bpm[1] / groove.bpm[0]) ** random.unit();
  const bars = Math.max(12, Math.round((wanted * bpm * pulse) / 60 / bar));
  const quarter = (bpm * pulse) / 4;
  const { tempo: changes, steady } = tempoOf(quarter, bars * bar * STEP, random);
  const tempo = tempoMap(changes);
  /** Steps before bar 1 on which the lead begins. */
  const pickUp = random.unit() < 0.25 ? random.integer(1, Math.min(bar - 1, 6)) : 0;
  const before: Seconds = 0.2 + 1.5 * random.unit() + pickUp * (60 / bpm / pulse) * 1.1;
  const swing = groove.swung ? 0.6 + 0.1 * random.unit() : 0.5;
  const place = (step: number): Ticks => {
    if (step < 0) return step * STEP;
    const beat = Math.floor(step / 4) * 4;
    const in4 = step - beat;
    if (!groove.swung) return step * STEP;
    return (beat + (in4 < 2 ? in4 * 2 * swing : 4 * swing + (in4 - 2) * 2 * (1 - swing))) * STEP;
  };
  const events: Scheduled[] = [];
  const loose = 0.002 + 0.009 * random.unit();
  const late = [0, 1, 2].map(() => random.normal(0.006));
  if (random.unit() < 0.2) late[LEAD] = -0.02;
  function press(step: number, steps: number, channel: number, key: number, velocity: number): void {
    const at = Math.max(0, before + secondsAt(tempo, place(step)) + random.normal(loose) + (late[channel] ?? 0));
    const end = before + secondsAt(tempo, place(step) + steps * STEP * 0.9);
    const loud = Math.max(1, Math.min(127, Math.round(velocity + random.normal(7))));
    events.push({ at, channel, message: { type: 'noteOn', key, velocity: loud } });
    events.push({ at: Math.max(at + 0.03, end), channel, message: { type: 'noteOff', key, velocity: 64 } });
  }
  const tonic = random.integer(0, 11);
  const round = random.pick(ROUNDS);
  const change = random.pick(groove.change ?? [1]);
  const early = random.unit() < 0.2 ? 2 : 0;
  const rootAt = (step: number): number => {
    const index = Math.floor((step + early) / (bar * change));
    return round[((index % round.length) + round.length) % round.length]!;
  };
  const keyOf = (degree: number, lowest: number): number => {
    const key = tonic + SCALE[((degree % 7) + 7) % 7]!;
    return lowest + ((((key - lowest) % 12) + 12) % 12);
  };
  const playedAt = (line: string, step: number): string => line[step % line.length]!;
  const next = (line: string, step: number): number => {
    for (let i = 1; i < bar; i += 1) if (playedAt(line, step + i) !== '.') return i;
    return bar;
  };
  const pickOf = (lines: readonly string[]) => (lines.length > 0 ? random.pick(lines) : '.'.repeat(bar));
  /** Two sections alternate, each with lines of its own. */
  const sections = [0, 1].map(() => ({
    drums: Object.entries(groove.drums).map(([key, lines]) => [Number(key), pickOf(lines)] as const),
    bass: pickOf(groove.bass),
    chords: pickOf(groove.chords),
    lead: random.unit() < 0.75 ? (groove.lead ?? 0) : 0,
  }));
  const noDrums = random.unit() < 0.2;
  const noBass = random.unit() < 0.12;
  const intro = random.pick([0, 0, 2, 4]);
  const held = random.unit() < 0.5;
  for (let s = -pickUp; s < 0; s += 1)
    if (s === -pickUp || random.unit() < 0.6) press(s, 1, LEAD, keyOf(round[0]! + random.integer(0, 6), 67), 84);
  for (let b = 0; b < bars; b += 1) {
    const now = sections[Math.floor(b / 8) % 2]!;
    const from = b * bar;
    const isFill = b % 8 === 7 && random.unit() < 0.6;
    const isBreak = b > 8 && random.unit() < 0.04;
    if (!noDrums && !isBreak && b >= (intro > 2 ? intro : 0))
      for (const [key, line] of now.drums)
        for (let s = 0; s < bar; s += 1) {
          if (playedAt(line, from + s) !== 'x' || (isFill && s >= bar / 2)) continue;
          press(from + s, 1, DRUMS, key, s % pulse === 0 ? 96 : 80);
        }
    if (isFill && !noDrums)
      for (let s = Math.ceil(bar / 2); s < bar; s += 1)
        if (random.unit() < 0.6) press(from + s, 1, DRUMS, random.pick([38, 45, 43]), 84);
    let walk = 0;
    for (let s = 0; s < bar; s += 1) {
      const root = rootAt(from + s - (s === 0 ? 0 : early * Number(s < bar - early)));
      const low = playedAt(now.bass, from + s);
      if (!noBass && b >= intro && low !== '.') {
        walk += 1;
        const degree = { x: root, o: root, 5: root + 4, w: root + walk }[low as 'x'] ?? root;
        press(from + s, next(now.bass, from + s), BASS, keyOf(degree, 28) + (low === 'o' ? 12 : 0), 92);
      }
      const chord = playedAt(now.chords, from + s);
      if (chord !== '.' && !(isBreak && s > 0)) {
        const keys = [0, 2, 4, 6].slice(0, random.integer(3, 4)).map((third) => keyOf(root + third, 52));
        const length = held ? next(now.chords, from + s) : 1;
        if (chord === 'x') for (const key of keys) press(from + s, length, CHORDS, key, s % pulse === 0 ? 78 : 72);
        else press(from + s, 2, CHORDS, keys[s % keys.length]!, s % pulse === 0 ? 76 : 66);
      }
      const strong = s % pulse === 0 || s % 4 === 2;
      if (b >= intro && s % 2 === (strong ? 0 : s % 2) && random.unit() < now.lead * (strong ? 0.8 : 0.35))
        press(from + s, random.integer(1, 4), LEAD, keyOf(root + random.integer(0, 6), 67), 84);
    }
  }
  const comping = random.pick(held ? COMPING : STRUCK);
  const setting = (program: number): ChannelSetting => ({ program, gain: 0.5 + 0.7 * random.unit(), shape: [] });
  const end = bars * bar * STEP;
  const felt = Array.from({ length: (bars * bar) / pulse }, (_, i) => before + secondsAt(tempo, i * pulse * STEP));
  return {
    ...{ groove, steady },
    channels: [
      [DRUMS, { program: 0, gain: 0.3 + 0.8 * random.unit(), shape: [], drums: true }],
      [BASS, setting(random.pick(BASSES))],
      [CHORDS, setting(comping)],
      [LEAD, setting(random.pick(LEADS))],
    ],
    events: events.sort((a, b) => a.at - b.at),
    length: before + secondsAt(tempo, end) + 1.5,
    beats: felt,
    firsts: Array.from({ length: bars }, (_, b) => before + secondsAt(tempo, b * bar * STEP)),
  };
}
