import { firstAtOrAfter, median } from '../numbers';
import type { Note } from '../performance/notes';
import type { ControlEvent } from '../performance/controls';
import { barAt, type MeterMap } from '../time/meter';
import { secondsAt, type TempoMap } from '../time/tempo';
import type { Milliseconds, TickRange, Ticks } from '../time/units';

/** Reading of a take, with its range. */
export interface ReadTake extends TickRange {
  readonly id: string;
  readonly notes: readonly Note[];
  readonly controls: readonly ControlEvent[];
}

/** Note of a take, on a clock shared by all takes. */
export interface Struck {
  /** Index of its take. */
  readonly take: number;
  readonly note: Note;
  readonly ms: Milliseconds;
  /** Lag of its take there. */
  readonly lag: Milliseconds;
}

/** Slot: notes of several takes that mean the same note. */
export interface Slot {
  readonly key: number;
  /** Median time of its notes, without their takes' lag. */
  readonly ms: Milliseconds;
  readonly at: Ticks;
  /** Notes, at most one of each take. */
  readonly struck: readonly Struck[];
}

/** Largest lag of a phrase. */
const FARTHEST: Milliseconds = 260;
/** Bin width of the histogram of lags, smoothed over one bin on either side. */
const BIN: Milliseconds = 10;
/** Ratio of agreeing pairs to those at lag 0 from which a lag is accepted. */
const CLEARLY = 1.4;
/** Least lag, above a player's looseness. */
const LEAST_LAG: Milliseconds = 30;
/** Distance within which notes of one key can be one note. */
const TOGETHER: Milliseconds = 75;
/** Distance within which a single note joins a slot that lacks its take. */
const STRAY: Milliseconds = 160;

interface Timed {
  readonly take: number;
  readonly note: Note;
  readonly ms: Milliseconds;
  /** Index of the half bar, from the song's start. */
  readonly window: number;
}

/**
 * Lag of each take against the others, half bar by half bar: the lag on which most pairs of notes of the same key
 * agree in a bar around it; 0 where none is clearly better. A histogram of differences, as used to find the offset of
 * two recordings of one thing (e.g. A. Wang, ISMIR 2003).
 */
function lagsOf(timed: readonly Timed[], takes: number): Map<number, Milliseconds>[] {
  if (timed.length === 0) return Array.from({ length: takes }, () => new Map());
  const byKey = new Map<number, { ms: number[]; of: Timed[] }>();
  for (const t of [...timed].sort((a, b) => a.ms - b.ms)) {
    const list = byKey.get(t.note.key) ?? { ms: [], of: [] };
    list.ms.push(t.ms);
    list.of.push(t);
    byKey.set(t.note.key, list);
  }
  const bins = Math.round((2 * FARTHEST) / BIN) + 1;
  // Reduced, as spreading a hundred thousand arguments overflows a worker's stack.
  const first = timed.reduce((least, t) => Math.min(least, t.window), Infinity) - 1;
  const windows = timed.reduce((most, t) => Math.max(most, t.window), -Infinity) - first + 2;
  const counts = Array.from({ length: takes }, () => new Float64Array(windows * bins));
  for (const { ms, of } of byKey.values()) {
    for (const mine of of) {
      const row = counts[mine.take]!;
      const here = (mine.window - first) * bins;
      for (
        let i = firstAtOrAfter(ms, mine.ms - FARTHEST, (n) => n);
        i < ms.length && ms[i]! <= mine.ms + FARTHEST;
        i += 1
      ) {
        if (of[i]!.take === mine.take) continue;
        const bin = Math.round((mine.ms - ms[i]! + FARTHEST) / BIN);
        row[here + bin]! += 2;
        row[here - bins + bin]! += 1;
        row[here + bins + bin]! += 1;
      }
    }
  }
  const zero = Math.round(FARTHEST / BIN);
  return counts.map((row) => {
    const lags = new Map<number, Milliseconds>();
    for (let window = 0; window < windows; window += 1) {
      const histogram = row.subarray(window * bins, (window + 1) * bins);
      const smooth = histogram.map((_, bin) => {
        let sum = 0;
        for (let d = -3; d <= 3; d += 1) sum += (histogram[bin + d] ?? 0) * (4 - Math.abs(d));
        return sum;
      });
      let best = zero;
      for (let bin = 0; bin < bins; bin += 1) {
        const nearer = Math.abs(bin - zero) < Math.abs(best - zero);
        if (smooth[bin]! > smooth[best]! || (smooth[bin] === smooth[best] && nearer)) best = bin;
      }
      // Two takes lag by the whole against each other, so each gets half.
      const lag = ((best - zero) * BIN) / (takes === 2 ? 2 : 1);
      if (Math.abs(best - zero) * BIN >= LEAST_LAG && smooth[best]! > CLEARLY * smooth[zero]!)
        lags.set(first + window, lag);
    }
    return lags;
  });
}

/**
 * Splits what was struck of one key, in time order and close to each other, into notes with at most one note of each
 * take. A few notes too many are a slip of their own; where there are many, the key was struck more than once.
 */
function split(run: readonly Struck[]): Struck[][] {
  const takes = new Set(run.map((s) => s.take));
  const span = run.at(-1)!.ms - run[0]!.ms;
  if (takes.size === run.length && span <= 2 * TOGETHER) return [[...run]];
  const doubles = run.length - takes.size;
  if (doubles > 0 && doubles * 3 <= takes.size && span <= 2.5 * TOGETHER) {
    const middle = median(run.map((s) => s.ms));
    const nearest = new Map<number, Struck>();
    for (const s of run) {
      const known = nearest.get(s.take);
      if (!known || Math.abs(s.ms - middle) < Math.abs(known.ms - middle)) nearest.set(s.take, s);
    }
    const kept = new Set(nearest.values());
    const others = run.filter((s) => !kept.has(s));
    return [[...kept], ...runsOf(others).flatMap(split)];
  }
  let at = 1;
  for (let i = 2; i < run.length; i += 1) if (run[i]!.ms - run[i - 1]!.ms > run[at]!.ms - run[at - 1]!.ms) at = i;
  return [...split(run.slice(0, at)), ...split(run.slice(at))];
}

/** Runs of notes in time order, split where two are too far apart to be one. */
function runsOf(onsets: readonly Struck[]): Struck[][] {
  const runs: Struck[][] = [];
  for (const s of onsets) {
    const run = runs.at(-1);
    if (run && s.ms - run.at(-1)!.ms <= TOGETHER) run.push(s);
    else runs.push([s]);
  }
  return runs;
}

/** Moves single notes into slots near by that lack their take. */
function gatherStrays(groups: Struck[][]): Struck[][] {
  const rising = groups.map((g) => ({ group: g, ms: median(g.map((s) => s.ms)) })).sort((a, b) => a.ms - b.ms);
  const gone = new Set<Struck[]>();
  rising.forEach(({ group, ms }, i) => {
    if (group.length > 1) return;
    const [stray] = group as [Struck];
    const near = [-2, -1, 1, 2]
      .map((d) => rising[i + d])
      .filter((other) => other && !gone.has(other.group) && other.group.length > 1)
      .filter((other) => Math.abs(other!.ms - ms) <= STRAY && other!.group.every((s) => s.take !== stray.take))
      .sort((a, b) => Math.abs(a!.ms - ms) - Math.abs(b!.ms - ms))[0];
    if (!near) return;
    near.group.push(stray);
    gone.add(group);
  });
  return groups.filter((g) => !gone.has(g));
}

/**
 * Aligns takes of one part note by note. Takes were played to the same song, so their notes lie near each other;
 * what is found first is where a take rushed or dragged as a whole, and then, key by key, which notes are one note.
 * It does not matter in what order the takes lie, nor whether they cover all of the song.
 * @returns the notes in time order
 */
export function alignTakes(takes: readonly ReadTake[], tempo: TempoMap, meter: MeterMap): Slot[] {
  const timed = takes.flatMap(({ notes }, take) =>
    notes.map((note): Timed => {
      const bar = barAt(meter, note.start);
      const half = barAt(meter, note.start + (barLength(meter, bar) >> 1)) > bar ? 1 : 0;
      return { take, note, ms: secondsAt(tempo, note.start) * 1000, window: bar * 2 + half };
    }),
  );
  const lags = lagsOf(timed, takes.length);
  const byKey = new Map<number, Struck[]>();
  for (const { take, note, ms, window } of timed) {
    const lag = lags[take]!.get(window) ?? 0;
    const onsets = byKey.get(note.key) ?? [];
    onsets.push({ take, note, ms: ms - lag, lag });
    byKey.set(note.key, onsets);
  }
  const slots: Slot[] = [];
  for (const [key, onsets] of byKey) {
    onsets.sort((a, b) => a.ms - b.ms || a.take - b.take);
    for (const struck of gatherStrays(runsOf(onsets).flatMap(split))) {
      const ms = median(struck.map((s) => s.ms));
      slots.push({ key, ms, at: median(struck.map((s) => s.note.start)), struck });
    }
  }
  return slots.sort((a, b) => a.ms - b.ms || a.key - b.key);
}

function barLength(meter: MeterMap, bar: number): Ticks {
  let low = meter.spans[0]!;
  for (const span of meter.spans) if (span.bar <= bar) low = span;
  return low.ticksPerBar;
}
