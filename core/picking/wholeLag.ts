import { firstAtOrAfter } from '../numbers';
import type { Note } from '../performance/notes';
import { barAt, barStart, meterAt, type MeterMap } from '../time/meter';
import { secondsAt, tickAt, type TempoMap } from '../time/tempo';
import type { Seconds, Ticks } from '../time/units';
import type { ReadTake } from './slots';

/** Largest lag of a whole take, in bars and in seconds. */
const MOST_BARS = 1.1;
const MOST: Seconds = 5;
/** Bin width of the histogram of differences, and the bins over which it is smoothed on either side. */
const STEP: Seconds = 0.01;
const SMOOTH = 3;
/** Least lag, above a player's looseness. */
const LEAST: Seconds = 0.03;
/** Agreement that a lag needs: ratio to the pairs at lag 0, and share of the take's notes. */
const CLEARLY = 1.6;
const LEAST_SHARE = 0.5;
const FEWEST_NOTES = 6;
/** Most notes of a take that are compared. */
const MOST_NOTES = 600;
/** Least number of takes. */
const FEWEST_TAKES = 3;

/** Notes sampled evenly over a take. */
function some(notes: readonly Note[]): readonly Note[] {
  if (notes.length <= MOST_NOTES) return notes;
  return Array.from({ length: MOST_NOTES }, (_, i) => notes[Math.floor((i * notes.length) / MOST_NOTES)]!);
}

/**
 * Lags of whole takes against the others, in seconds; 0 for one that does not lie off. The differences
 * between onsets of one key are counted, and where they pile up is the lag (as in `slots.ts`, over all of the take).
 * @param takes at least three, or nothing is said
 */
export function wholeLags(takes: readonly ReadTake[], tempo: TempoMap, meter: MeterMap): readonly Seconds[] {
  if (takes.length < FEWEST_TAKES) return takes.map(() => 0);
  const bar = secondsAt(tempo, barStart(meter, 2)) - secondsAt(tempo, barStart(meter, 1));
  const reach = Math.min(MOST, MOST_BARS * bar);
  const byKey = new Map<number, { readonly take: number; readonly at: Seconds }[]>();
  takes.forEach(({ notes }, take) => {
    for (const note of notes) {
      const own = byKey.get(note.key) ?? [];
      own.push({ take, at: secondsAt(tempo, note.start) });
      byKey.set(note.key, own);
    }
  });
  for (const all of byKey.values()) all.sort((a, b) => a.at - b.at);
  const zero = Math.ceil(reach / STEP);
  return takes.map(({ notes }, take) => {
    if (notes.length < FEWEST_NOTES) return 0;
    const counts = new Float64Array(2 * zero + 1);
    const looked = some(notes);
    for (const note of looked) {
      const at = secondsAt(tempo, note.start);
      const all = byKey.get(note.key)!;
      for (let i = firstFrom(all, at - reach); i < all.length && all[i]!.at <= at + reach; i += 1) {
        if (all[i]!.take === take) continue;
        counts[zero + Math.round((at - all[i]!.at) / STEP)]! += 1;
      }
    }
    const smooth = counts.map((_, k) => {
      let sum = 0;
      for (let d = -SMOOTH; d <= SMOOTH; d += 1) sum += counts[k + d] ?? 0;
      return sum;
    });
    let best = zero;
    smooth.forEach((n, k) => {
      if (n > smooth[best]! || (n === smooth[best] && Math.abs(k - zero) < Math.abs(best - zero))) best = k;
    });
    const lag = preciseLag(looked, take, (best - zero) * STEP, byKey, tempo);
    const agreeing = smooth[best]! / (looked.length * (takes.length - 1));
    const isClear = smooth[best]! > CLEARLY * smooth[zero]! && agreeing > LEAST_SHARE;
    return Math.abs(lag) >= LEAST && isClear ? lag : 0;
  });
}

/** Median of the differences near a lag. */
function preciseLag(
  notes: readonly Note[],
  take: number,
  about: Seconds,
  byKey: ReadonlyMap<number, readonly { readonly take: number; readonly at: Seconds }[]>,
  tempo: TempoMap,
): Seconds {
  const near: Seconds[] = [];
  const within = (SMOOTH + 1) * STEP;
  for (const note of notes) {
    const at = secondsAt(tempo, note.start) - about;
    const all = byKey.get(note.key)!;
    for (let i = firstFrom(all, at - within); i < all.length && all[i]!.at <= at + within; i += 1)
      if (all[i]!.take !== take) near.push(at + about - all[i]!.at);
  }
  near.sort((a, b) => a - b);
  return near[near.length >> 1] ?? 0;
}

const firstFrom = (rising: readonly { readonly at: Seconds }[], at: Seconds): number =>
  firstAtOrAfter(rising, at, (t) => t.at);

/** Take without its lag, for comparison. Its range moves too where the lag is a beat or more. */
export function withoutLag(take: ReadTake, lag: Seconds, tempo: TempoMap, meter: MeterMap): ReadTake {
  if (lag === 0) return take;
  const moved = (tick: Ticks): Ticks => tickAt(tempo, secondsAt(tempo, tick) - lag);
  const { ticksPerBeat } = meterAt(meter, barStart(meter, Math.max(1, barAt(meter, take.from))));
  const isFar = Math.abs(moved(take.from) - take.from) > ticksPerBeat / 2;
  return {
    ...take,
    ...(isFar ? { from: Math.round(moved(take.from)), to: Math.round(moved(take.to)) } : {}),
    notes: take.notes.map((n) => ({ ...n, start: moved(n.start), end: moved(n.end) })),
    controls: take.controls.map((c) => ({ ...c, at: moved(c.at) })),
  };
}
