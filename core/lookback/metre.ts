import type { Bpm, Seconds } from '../time/units';
import type { Onset } from './onsets';
import { tatumCost, type Tatum } from './tatum';

/** A pulse grouped into beats and bars. */
export interface Metre {
  readonly tatum: Tatum;
  /** Pulses a beat. */
  readonly division: number;
  /** Pulse at which the first bar begins that has the first onset in it, from 0 back. */
  readonly begins: number;
  readonly beatsPerBar: number;
  readonly bpm: Bpm;
  readonly score: number;
}

/** Slowest and fastest beats that are considered. */
const SLOWEST: Bpm = 42;
const FASTEST: Bpm = 215;
/** Preferred tempo, and the spread of the preference in octaves. */
const USUAL: Bpm = 104;
const OCTAVES = 1;
/**
 * Weights of the rules. Set by trying on performances of `core/testing/playing.ts` with seeds of their own; the figures
 * of the bench come from others.
 */
const RULES = {
  /** Weight of onsets on beats against those between. */ beat: 1.15,
  /** Cost of beats without an onset. */ missed: 1.25,
  /** Weight of the share of onsets that are on beats. */ share: 0.84,
  /** Cost of a finely divided beat. */ fine: 0.12,
  /** Weight of onsets on first beats against the others. */ bar: 1.43,
  /** Weight of harmony that changes at bar lines. */ harmony: 1.26,
  /** Weight of the pulse's own fit: onsets off it, and a pulse finer than need be. */ pulse: 0.55,
};

/**
 * Times of places on the pulse, by a line through the onsets around it: the looseness of single onsets is smoothed
 * out, and the wander of the tempo stays.
 */
function timesOf(
  onsets: readonly Onset[],
  { places, length }: Tatum,
  from: number,
  to: number,
  step: number,
): Seconds[] {
  const reach = 10 * step;
  const times: Seconds[] = [];
  // Places rise, and so do the onsets that lie around them.
  let first = 0;
  for (let place = from; place <= to; place += step) {
    let [w, x, y, xx, xy] = [0, 0, 0, 0, 0];
    // Beyond the ends the outermost line is extended.
    const centre = Math.max(0, Math.min(places.at(-1)!, place));
    while (first < places.length && places[first]! <= centre - reach) first += 1;
    for (let i = first; i < places.length; i += 1) {
      const d = (places[i]! - centre) / reach;
      if (d >= 1) break;
      const weight = (1 - Math.abs(d) ** 3) ** 3;
      const px = places[i]! - centre;
      const py = onsets[i]!.at;
      w += weight;
      x += weight * px;
      y += weight * py;
      xx += weight * px * px;
      xy += weight * px * py;
    }
    if (w < 1e-6) {
      // Long rest: the time is interpolated straight across it.
      const i = places.findLastIndex((p) => p <= centre);
      const [a, b] = [onsets[i]!.at, onsets[i + 1]!.at];
      times.push(a + ((b - a) * (place - places[i]!)) / (places[i + 1]! - places[i]!));
      continue;
    }
    const spread = xx - (x * x) / w;
    const slope = spread > step * step * 0.5 ? (xy - (x * y) / w) / spread : length;
    times.push(y / w + slope * (place - centre - x / w));
  }
  return times;
}

/**
 * Contrast with which weights fall on some places of a cycle against the others: the mean there, less the mean
 * elsewhere.
 */
function contrast(
  onsets: readonly Onset[],
  places: readonly number[],
  cycle: number,
  phase: number,
): { on: number; off: number; share: number; missed: number } {
  let [on, ons, off] = [0, 0, 0];
  for (let i = 0; i < onsets.length; i += 1) {
    // A negative place is on the cycle when its remainder is 0 as well, whatever the sign of that.
    if ((places[i]! - phase) % cycle === 0) {
      on += onsets[i]!.weight;
      ons += 1;
    } else off += onsets[i]!.weight;
  }
  const offs = onsets.length - ons;
  const count = Math.floor((places.at(-1)! - phase) / cycle) - Math.ceil((places[0]! - phase) / cycle) + 1;
  return {
    on: ons ? on / ons : 0,
    off: offs ? off / offs : 0.75,
    share: ons / onsets.length,
    missed: count > 0 ? 1 - ons / count : 1,
  };
}

/**
 * Change of harmony at bar lines rather than in the middle of bars: what sounds in the two halves of a bar is more
 * alike than what sounds on the two sides of a bar line.
 */
function harmonyChange(onsets: readonly Onset[], places: readonly number[], bar: number, phase: number): number {
  // Places are not negative, and a bar begins at most one bar after the first: half-bars count from that one.
  const halves: number[] = [];
  for (let i = 0; i < onsets.length; i += 1) {
    const half = Math.floor(((places[i]! - phase + bar) * 2) / bar);
    halves[half] = (halves[half] ?? 0) | onsets[i]!.harmony;
  }
  let [within, bars, across, joins] = [0, 0, 0, 0];
  for (let half = 0; half + 1 < halves.length; half += 1) {
    const [harmony, next] = [halves[half], halves[half + 1]];
    if (!harmony || !next) continue;
    const alike = bitCount(harmony & next) / bitCount(harmony | next);
    if (half % 2 === 0) {
      within += alike;
      bars += 1;
    } else {
      across += alike;
      joins += 1;
    }
  }
  return bars && joins ? within / bars - across / joins : 0;
}

function bitCount(bits: number): number {
  let count = 0;
  for (let b = bits; b; b &= b - 1) count += 1;
  return count;
}

/** Every grouping of a pulse that can be counted by, with how well it fits. */
export function metres(onsets: readonly Onset[], tatum: Tatum): Metre[] {
  const { places, length } = tatum;
  const found: Metre[] = [];
  for (const division of [1, 2, 3, 4]) {
    const bpm = 60 / (length * division);
    if (bpm < SLOWEST || bpm > FASTEST) continue;
    const usual = -0.5 * (Math.log2(bpm / USUAL) / OCTAVES) ** 2;
    for (let phase = 0; phase < division; phase += 1) {
      const beat = contrast(onsets, places, division, phase);
      // Onsets between beats count near a beat only; beats without an onset count for nothing.
      const beatFit =
        RULES.beat * (beat.on - beat.off) * (division > 1 ? 1 : 0.6) -
        RULES.missed * beat.missed +
        RULES.share * beat.share -
        RULES.fine * division;
      const swung = division === 3 ? swing(places, phase) : 0;
      for (const beatsPerBar of [4, 3]) {
        for (let first = 0; first < beatsPerBar; first += 1) {
          const barPhase = phase + first * division;
          const bar = contrast(onsets, places, division * beatsPerBar, barPhase);
          const harmony = harmonyChange(onsets, places, division * beatsPerBar, barPhase);
          // Most things begin on a first beat, some with a short pick-up.
          const pickUp = barPhase <= division ? 0.1 : -0.1;
          const start = barPhase === 0 ? 0.35 : pickUp;
          const barFit =
            RULES.bar * (bar.on - bar.off) -
            0.7 * Math.max(0, bar.missed) +
            RULES.harmony * harmony +
            start +
            (beatsPerBar === 4 ? 0.12 : 0);
          const begins = barPhase > 0 ? barPhase - division * beatsPerBar : barPhase;
          found.push({
            tatum,
            division,
            begins,
            beatsPerBar,
            bpm,
            score: usual + beatFit + swung + barFit - RULES.pulse * tatumCost(tatum),
          });
        }
      }
    }
  }
  return found;
}

/** Swung playing has the beat and its last third, hardly ever its second. */
function swing(places: readonly number[], phase: number): number {
  const at = [0, 0, 0];
  for (const place of places) at[(((place - phase) % 3) + 3) % 3]! += 1;
  const all = places.length;
  return at[0]! > at[2]! ? 0.5 * (at[2]! / all) - 1.2 * (at[1]! / all) : -0.6;
}

/** The least length of a beat, as a share of its usual length. */
const LEAST_OF_A_BEAT = 0.5;

/** Times made increasing. Where there is little to fit lines through, two neighbouring places can cross. */
function rising(times: readonly Seconds[], beat: Seconds): Seconds[] {
  let last = -Infinity;
  return times.map((at) => (last = Math.max(at, last + LEAST_OF_A_BEAT * beat)));
}

/** Time of each beat: from a down-beat at or before the first onset to the bar line after the last. */
export function beatsOf(onsets: readonly Onset[], { tatum, division, begins, beatsPerBar }: Metre): Seconds[] {
  const bar = division * beatsPerBar;
  const to = begins + (Math.floor((tatum.places.at(-1)! - begins) / bar) + 1) * bar;
  return rising(timesOf(onsets, tatum, begins, to, division), tatum.length * division);
}
