import { isRolled, type NoteOnset } from './rolledChords';
import type { Seconds } from '../time/units';

/** Gestures of the hand that are one thing to the grid: their anchor goes to a line and their inside stays. */
export const FIGURES = ['roll', 'trill', 'tremolo', 'glissando', 'flam', 'drag', 'grace note'] as const;
export type FigureKind = (typeof FIGURES)[number];

/** Notes that are one gesture, by time. */
export interface Figure {
  /** Kind of gesture; null for a chord that is merely loose. */
  readonly kind: FigureKind | null;
  readonly onsets: readonly NoteOnset[];
  /** The note that lies on the beat; of a loose chord its first. */
  readonly anchor: NoteOnset;
}

/** The widest gap in a trill or tremolo, and the shares of the pace so far between which a gap lies. */
const TRILL_GAP: Seconds = 0.135;
const UNEVEN: readonly [number, number] = [0.5, 1.9];
const LEAST_OF_TRILL = 5;
/** The two sides of a trill are so many keys apart at most, those of a tremolo so many. */
const TRILL_KEYS = 2;
const TREMOLO_KEYS = 16;
/** A chord that tremolates: what falls so near to a stroke belongs to it, where it does so in most strokes. */
const WITH_STROKE: Seconds = 0.02;
/** The widest gap in a glissando, the widest mean gap, and the most keys from note to note. */
const GLISSANDO_GAP: Seconds = 0.09;
const GLISSANDO_PACE: Seconds = 0.065;
const GLISSANDO_KEYS = 4;
const LEAST_OF_GLISSANDO = 5;
/** Its gaps are as even as this, against the middle one. */
const EVEN_GAPS: readonly [number, number] = [0.4, 2];
/** A glissando that ends on a note so many times as long as its others leads to that note. */
const LANDS = 3;
/** A pace is the grid's own when it is within so many deviations of what it can be told to, and within these shares. */
const PACE_SURE = 2.5;
const PACE_WITHIN: readonly [number, number] = [0.05, 0.3];
/** Prior standard deviation of the gaps, and the number of gaps that it counts as. */
const GAP_NOISE: Seconds = 0.014;
const GAPS_EXPECTED = 3;
/** Gaps between the notes of a flam or drag: least and most, and the most as a share of the grid's step. */
const FLAM: readonly [Seconds, Seconds] = [0.012, 0.05];
const FLAM_OF_STEP = 0.43;
const MOST_GRACES = 3;
const FLAM_KEYS = 4;
/** A grace lasts so much less than its main note, or is so much softer. */
const GRACE_SHORTER = 0.6;
const GRACE_SOFTER = 0.6;
/** Slack of a roll's gaps over the widest that is set: hands are not even. */
const ROLL_SLACK = 1.35;
const MOST_OF_ROLL = 16;
/** The most time between fingers that mean one moment; also as a share of the grid's step. */
export const TOGETHER: Seconds = 0.03;
export const TOGETHER_OF_STEP = 0.25;
/** Notes of a roll are this near to each other against the step, by how many they are; of four or more it is sure. */
const ROLL_OF_STEP: Readonly<Record<number, number>> = { 2: 0.25, 3: 0.35 };
const EVEN_OF_STEP = 0.85;
/** The widest gap of a roll against its middle one. */
const EVEN = 1.8;
/** Fingers closer than this have no order that says anything. */
const FINGERS: Seconds = 0.012;
/** Share of the shorter note's length for which two notes of a roll sound together, at the least. */
const DOWN_TOGETHER = 0.45;
/** A note of a chord is no shorter than this, or than this share of the others. */
const BRIEF: Seconds = 0.1;
const BRIEF_OF_CHORD = 0.6;

const middleOf = (values: readonly number[]): number => [...values].sort((a, b) => a - b)[values.length >> 1]!;
const gapsOf = (run: readonly NoteOnset[]): number[] => run.slice(1).map((o, i) => o.at - run[i]!.at);

/** True of a run at the pace of the grid, one line a note or several: then each note has a line of its own. */
function isMeasured(run: readonly NoteOnset[], step: Seconds): boolean {
  const gaps = gapsOf(run);
  const pace = gaps.reduce((a, b) => a + b, 0) / gaps.length;
  const ratio = pace / step;
  const whole = Math.round(ratio);
  if (whole < 1) return false;
  const spread = gaps.reduce((s, g) => s + (g - pace) ** 2, GAPS_EXPECTED * GAP_NOISE ** 2);
  const noise = Math.sqrt(spread / (gaps.length + GAPS_EXPECTED - 1));
  const told = (PACE_SURE * noise) / (gaps.length * pace);
  return Math.abs(ratio - whole) / whole <= Math.max(PACE_WITHIN[0], Math.min(PACE_WITHIN[1], told));
}

/** Finds gestures among notes; each note is in one at most. */
class Finder {
  readonly taken: Uint8Array;
  readonly found: Figure[] = [];

  constructor(
    readonly onsets: readonly NoteOnset[],
    readonly step: (onset: NoteOnset) => Seconds,
    readonly widest: Seconds,
  ) {
    this.taken = new Uint8Array(onsets.length);
  }

  take(kind: FigureKind | null, members: readonly number[], anchor: number): void {
    for (const m of members) this.taken[m] = 1;
    const onsets = [...members].sort((a, b) => a - b).map((m) => this.onsets[m]!);
    this.found.push({ kind, onsets, anchor: this.onsets[anchor]! });
  }

  /** Free notes after a note, nearest first, as far as so many seconds from it. */
  *after(from: number, within: Seconds): Generator<number> {
    const { at } = this.onsets[from]!;
    for (let i = from + 1; i < this.onsets.length && this.onsets[i]!.at - at <= within; i += 1)
      if (!this.taken[i]) yield i;
  }

  /** The longest alternation of two keys from two notes on. */
  alternation(first: number, second: number): number[] {
    const [a, b] = [this.onsets[first]!.note.key, this.onsets[second]!.note.key];
    const run = [first, second];
    let gaps = [this.onsets[second]!.at - this.onsets[first]!.at];
    for (;;) {
      const last = run.at(-1)!;
      const wanted = run.length % 2 ? b : a;
      const unwanted = run.length % 2 ? a : b;
      const pace = middleOf(gaps);
      let next = -1;
      for (const i of this.after(last, TRILL_GAP)) {
        const { key } = this.onsets[i]!.note;
        if (key === unwanted) break;
        if (key !== wanted) continue;
        next = i;
        break;
      }
      if (next < 0) return run;
      const gap = this.onsets[next]!.at - this.onsets[last]!.at;
      if (gap < UNEVEN[0] * pace || gap > UNEVEN[1] * pace) return run;
      run.push(next);
      gaps = [...gaps.slice(-6), gap];
    }
  }

  /** Notes that are struck with most strokes of one side of a tremolo. */
  struckAlong(run: readonly number[]): number[] {
    const along = new Map<number, number[]>();
    run.forEach((stroke) => {
      const { at } = this.onsets[stroke]!;
      for (let i = stroke - 8; i <= stroke + 8; i += 1) {
        const other = this.onsets[i];
        if (!other || run.includes(i) || this.taken[i] || Math.abs(other.at - at) > WITH_STROKE) continue;
        along.set(other.note.key, [...(along.get(other.note.key) ?? []), i]);
      }
    });
    return [...along.values()].filter((all) => all.length >= Math.max(2, run.length / 3)).flat();
  }

  trills(): void {
    for (let i = 0; i < this.onsets.length; i += 1) {
      if (this.taken[i]) continue;
      const first = this.onsets[i]!;
      let best: number[] = [];
      const tried = new Set<number>();
      for (const j of this.after(i, TRILL_GAP)) {
        const { key } = this.onsets[j]!.note;
        // A key struck again ends what began with it.
        if (key === first.note.key && tried.size > 0) break;
        if (tried.has(key) || Math.abs(key - first.note.key) > TREMOLO_KEYS) continue;
        tried.add(key);
        const run = this.alternation(i, j);
        if (run.length > best.length) best = run;
      }
      if (best.length < LEAST_OF_TRILL) continue;
      const run = best.map((m) => this.onsets[m]!);
      if (isMeasured(run, this.step(first))) continue;
      const keys = Math.abs(run[0]!.note.key - run[1]!.note.key);
      const isTrill = keys > 0 && keys <= TRILL_KEYS;
      this.take(isTrill ? 'trill' : 'tremolo', isTrill ? best : [...best, ...this.struckAlong(best)], i);
    }
  }

  glissandi(): void {
    for (let i = 0; i < this.onsets.length; i += 1) {
      if (this.taken[i]) continue;
      const run = [i];
      let way = 0;
      for (;;) {
        const last = this.onsets[run.at(-1)!]!;
        let next = -1;
        for (const j of this.after(run.at(-1)!, GLISSANDO_GAP)) {
          const by = this.onsets[j]!.note.key - last.note.key;
          if (by === 0 || Math.abs(by) > GLISSANDO_KEYS || (way !== 0 && Math.sign(by) !== way)) continue;
          next = j;
          break;
        }
        if (next < 0) break;
        way = Math.sign(this.onsets[next]!.note.key - last.note.key);
        run.push(next);
      }
      if (run.length < LEAST_OF_GLISSANDO) continue;
      const onsets = run.map((m) => this.onsets[m]!);
      const pace = (onsets.at(-1)!.at - onsets[0]!.at) / (run.length - 1);
      // Notes that stay down together are a roll.
      const gaps = gapsOf(onsets);
      const middle = middleOf(gaps);
      const isEven = gaps.every((g) => g > EVEN_GAPS[0] * middle && g < EVEN_GAPS[1] * middle);
      const isHeld = onsets.slice(0, -2).every((o) => o.end > onsets.at(-1)!.at);
      if (!isEven || pace > GLISSANDO_PACE || isHeld || isMeasured(onsets, this.step(onsets[0]!))) continue;
      const lengths = onsets.slice(0, -1).map((o) => o.end - o.at);
      const lands = onsets.at(-1)!.end - onsets.at(-1)!.at > LANDS * middleOf(lengths);
      this.take('glissando', run, lands ? run.at(-1)! : i);
    }
  }

  /** The graces of a note, the nearest last: short or soft, close ahead of it, few keys away. */
  gracesOf(main: number): number[] {
    const own = this.onsets[main]!;
    const most = Math.min(FLAM[1], FLAM_OF_STEP * this.step(own));
    const graces: number[] = [];
    let next = own;
    for (let i = main - 1; i >= 0 && graces.length < MOST_GRACES; i -= 1) {
      const grace = this.onsets[i]!;
      const gap = next.at - grace.at;
      if (gap > most) break;
      if (this.taken[i] || gap < FLAM[0] || Math.abs(grace.note.key - own.note.key) > FLAM_KEYS) continue;
      const isShort = grace.end - grace.at < GRACE_SHORTER * (own.end - own.at) && grace.end - grace.at < 2 * most;
      const isSoft = grace.note.velocity < GRACE_SOFTER * own.note.velocity && grace.end < own.end;
      if (!isShort && !isSoft) break;
      graces.unshift(i);
      next = grace;
    }
    return graces;
  }

  /** Graces lead to a note or to a chord; of that its first note is the main one. */
  flams(): void {
    const chords = new Map(this.found.map((f, i) => [f.onsets[0]!, i]));
    // Backwards, since the main note is the last.
    for (let i = this.onsets.length - 1; i > 0; i -= 1) {
      const main = this.onsets[i]!;
      const chord = chords.get(main);
      const isMain = chord === undefined ? !this.taken[i] : (this.found[chord]!.kind ?? 'roll') === 'roll';
      const graces = isMain ? this.gracesOf(i) : [];
      if (graces.length === 0) continue;
      const kind = graces.length > 1 ? 'drag' : 'flam';
      if (chord === undefined) this.take(kind, [...graces, i], i);
      else {
        for (const g of graces) this.taken[g] = 1;
        const onsets = [...graces.map((g) => this.onsets[g]!), ...this.found[chord]!.onsets];
        this.found[chord] = { kind, onsets, anchor: main };
      }
    }
  }

  /** The longest run of notes from one on that stay down together, each close behind the one before. */
  chain(from: number): number[] {
    const chain = [from];
    const keys = new Set([this.onsets[from]!.note.key]);
    const most = Math.max(FINGERS, Math.min(ROLL_SLACK * this.widest, EVEN_OF_STEP * this.step(this.onsets[from]!)));
    while (chain.length < MOST_OF_ROLL) {
      const last = chain.at(-1)!;
      const isDown = (m: number, own: NoteOnset): boolean => {
        const { at, end } = this.onsets[m]!;
        const both = m === last ? DOWN_TOGETHER * Math.min(end - at, own.end - own.at) : 0;
        return end - own.at > both;
      };
      const middle = middleOf(chain.map((m) => this.onsets[m]!.end - this.onsets[m]!.at));
      const goesOn = (i: number): boolean => {
        const own = this.onsets[i]!;
        // A note far shorter than the others is a grace note to what follows.
        const isBrief = own.end - own.at < Math.min(BRIEF, BRIEF_OF_CHORD * middle);
        return !isBrief && !keys.has(own.note.key) && chain.every((m) => isDown(m, own));
      };
      const onsets = chain.map((m) => this.onsets[m]!);
      const behind = [...this.after(last, most)];
      // Notes of the other hand between those of a roll are passed over.
      const inLine = chain.length > 2 && goesOneWay(onsets);
      const fits = inLine ? behind.find((i) => goesOn(i) && goesOneWay([...onsets, this.onsets[i]!])) : undefined;
      const next = fits ?? (behind.length > 0 && goesOn(behind[0]!) ? behind[0] : undefined);
      if (next === undefined) break;
      chain.push(next);
      keys.add(this.onsets[next]!.note.key);
    }
    return chain;
  }

  /** Number of notes at the head of a chain that surely are one chord, and cannot mean two grid lines. */
  oneChord(chain: readonly number[]): number {
    const step = this.step(this.onsets[chain[0]!]!);
    const onsets = chain.map((m) => this.onsets[m]!);
    const gaps = gapsOf(onsets);
    // All of it, where it goes on evenly in one direction: no rhythm does.
    for (let n = chain.length; n > 1; n -= 1) {
      const some = gaps.slice(0, n - 1);
      const most = (ROLL_OF_STEP[n] ?? EVEN_OF_STEP) * step;
      const isEven = Math.max(...some) <= Math.max(EVEN * middleOf(some), FINGERS);
      if (Math.max(...some) <= most && isEven && goesOneWay(onsets.slice(0, n))) return n;
    }
    const together = Math.min(TOGETHER, TOGETHER_OF_STEP * step);
    return onsets.filter((o) => o.at - onsets[0]!.at <= together).length;
  }

  chords(): void {
    const rolls: { readonly members: number[]; readonly onsets: NoteOnset[] }[] = [];
    for (let i = 0; i < this.onsets.length; i += 1) {
      if (this.taken[i]) continue;
      const chain = this.chain(i);
      const members = chain.slice(0, this.oneChord(chain));
      if (members.length < 2) continue;
      for (const m of members) this.taken[m] = 1;
      rolls.push({ members, onsets: members.map((m) => this.onsets[m]!) });
    }
    const rolled = isRolled(rolls.map((r) => r.onsets));
    rolls.forEach(({ members }, i) => this.take(rolled[i] ? 'roll' : null, members, members[0]!));
  }
}

/** True where keys rise or fall with time, in one hand or in each of two that roll at once. */
function goesOneWay(onsets: readonly NoteOnset[]): boolean {
  const byKey = [...onsets].sort((a, b) => a.note.key - b.note.key);
  const goes = (some: readonly NoteOnset[], sign: number): boolean =>
    some.every((o, i) => i === 0 || sign * (o.at - some[i - 1]!.at) > -FINGERS);
  const ends = (some: readonly NoteOnset[]): [Seconds, Seconds] => [
    Math.min(...some.map((o) => o.at)),
    Math.max(...some.map((o) => o.at)),
  ];
  for (const sign of [1, -1]) {
    if (goes(byKey, sign)) return true;
    for (let split = 2; split <= byKey.length - 2; split += 1) {
      const [left, right] = [byKey.slice(0, split), byKey.slice(split)];
      const [l, r] = [ends(left), ends(right)];
      if (goes(left, sign) && goes(right, sign) && Math.max(l[0], r[0]) < Math.min(l[1], r[1])) return true;
    }
  }
  return false;
}

/**
 * The figures among notes: trills, tremolos, glissandi, flams, drags and rolled chords, and chords that are merely
 * loose. What could as well be notes of the grid, each on its line, is none.
 * @param onsets by time
 * @param step the narrowest of the grid where a note is, in seconds
 * @param widest between two notes of a rolled chord, in seconds
 */
export function figuresOf(
  onsets: readonly NoteOnset[],
  step: (onset: NoteOnset) => Seconds,
  widest: Seconds,
): readonly Figure[] {
  const finder = new Finder(onsets, step, widest);
  finder.trills();
  finder.glissandi();
  finder.chords();
  finder.flams();
  return finder.found;
}
