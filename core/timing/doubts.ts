import type { Note, Reading } from '../performance/notes';
import { secondsAt } from '../time/tempo';
import type { Seconds, Ticks } from '../time/units';
import type { Clock } from './lattice';
import type { Treatment } from './treatments';
import { linedUp, type Decided, type Lined, type Unit } from './unitLines';
import type { Doubt } from './phrase';
import { isNeutral } from './recipe';
import { notesOfEach, type TreatedReading } from './treatment';

/** Reasons why a note needs an ear, the weightiest first. */
export type Why = 'another line' | 'met' | 'order' | 'torn' | 'far';

/** Place in a part of which the program is not sure: the least sure note of a beat, and others of the beat. */
export interface Doubtful {
  /** Notes that move as one, by start. */
  readonly notes: readonly Note[];
  /** Other notes of the beat that are unsure too, with the lines that they were put to: they follow what is decided. */
  readonly others: readonly Pick<Doubtful, 'notes' | 'line' | 'doubt'>[];
  readonly why: Why;
  /** The line they were put to, and the likeliest other one, as they are written. */
  readonly line: Ticks;
  readonly other: Ticks | null;
  /** The lines just before and just behind it. */
  readonly before: Ticks | null;
  readonly after: Ticks | null;
  /** Doubt, 0 to 1. */
  readonly doubt: number;
}

/** A line that is less sure than this is doubtful. */
const SURE = 0.99;
/** No more places are listed, for each hundred notes; but always a few. */
const MOST_OF_HUNDRED = 4;
const ALWAYS = 3;
/** Doubt of a note halfway between two lines, however sure the phrase is of one. */
const HALFWAY = 0.2;
/** Doubts for reasons other than the line, 0 to 1. */
const MET_ITSELF = 0.5;
const MET = 0.05;
const ORDER = 0.3;
const TORN = 0.36;
const FAR = 0.08;
/** Notes further apart than this were not struck together. */
const APART: Seconds = 0.045;
/** A chord that is no wider was meant as one. */
const ONE_CHORD: Seconds = 0.06;
/** A move counts as far beyond this, and beyond so many times the median move. */
const FAR_AWAY: Seconds = 0.06;
const FAR_TIMES = 4;
/** The most notes that are listed for moving far, for each hundred. */
const FURTHEST_OF_HUNDRED = 1;

interface Seen {
  readonly unit: Unit;
  readonly lined: Lined;
}

/** Doubts about units other than their line, by their place in the list. */
function otherwise(seen: readonly Seen[], movedBy: (unit: Unit) => Seconds): Map<number, readonly [Why, number]> {
  const found = new Map<number, readonly [Why, number]>();
  const say = (i: number, why: Why, doubt: number): void => {
    if ((found.get(i)?.[1] ?? 0) < doubt) found.set(i, [why, doubt]);
  };
  for (let i = 1; i < seen.length; i += 1) {
    const [a, b] = [seen[i - 1]!, seen[i]!];
    if (a.lined !== b.lined) continue;
    const gap = b.unit.at - a.unit.at;
    const [before, after] = [a.lined.lattice.seconds[a.unit.line]!, b.lined.lattice.seconds[b.unit.line]!];
    const shares = b.unit.notes.some((n) => a.unit.notes.some((m) => m.key === n.key));
    if (a.unit.line === b.unit.line && (shares || gap > APART)) say(i, 'met', shares ? MET_ITSELF : MET);
    if (before > after && gap > APART / 3) say(i, 'order', ORDER);
    const together = b.unit.notes.some((n) => a.unit.notes.some((m) => m.end - n.start > (m.end - m.start) / 2));
    if (a.unit.line !== b.unit.line && together && gap < ONE_CHORD && after - before > 2 * gap) say(i, 'torn', TORN);
  }
  const far = seen.map(({ unit }, i) => ({ i, by: Math.abs(movedBy(unit)) })).sort((a, b) => b.by - a.by);
  const middle = far[far.length >> 1]?.by ?? 0;
  const most = Math.max(1, Math.round((far.length * FURTHEST_OF_HUNDRED) / 100));
  for (const { i, by } of far.slice(0, most)) if (by > FAR_AWAY && by > FAR_TIMES * middle) say(i, 'far', FAR);
  return found;
}

/** The lines on either side of a line, of those that the grids have. */
function neighbours({ lattice }: Lined, line: number): Pick<Doubtful, 'before' | 'after'> {
  return { before: lattice.tick[line - 1] ?? null, after: lattice.tick[line + 1] ?? null };
}

/**
 * Notes that need an ear, the most doubtful first: those for which another line was nearly as likely, onsets that met
 * on one line, whose order in the phrase changed, chords that were torn, and those that moved furthest. What was
 * decided is not among them.
 * @param before the line as it is without treatments, from which `treated` was made
 */
export function doubtsOf(
  before: Reading,
  treated: TreatedReading,
  treatments: readonly Treatment[],
  clock: Clock,
  decided: Decided,
): Doubtful[] {
  const places: Doubtful[] = [];
  const now = new Map(treated.notes.map((n) => [n.id, n.start]));
  for (const [treatment, own] of notesOfEach(before.notes, treatments)) {
    if (own.length === 0 || isNeutral(treatment) || treatment.way === 'steady') continue;
    const lined = linedUp(own, treatment, clock, treatment, decided);
    const seen = lined.units.map((unit) => ({ unit, lined }));
    const movedBy = ({ notes: [first] }: Unit): Seconds =>
      (now.get(first!.id)! - first!.start) * tickLength(first!, clock);
    const others = otherwise(seen, movedBy);
    const doubt = lined.doubt?.();
    const found: OneDoubt[] = [];
    seen.forEach(({ unit }, i) => {
      if (unit.decided) return;
      const { lattice } = lined;
      let [why, size] = others.get(i) ?? (['another line', 0] as const);
      const least = doubt && leastSure(unit, doubt);
      const unsure = doubt ? Math.max(1 - doubt.sure[least!]!, HALFWAY * nearness(lined, unit)) : nearness(lined, unit);
      if (unsure > 1 - SURE && unsure >= size) [why, size] = ['another line', unsure];
      if (size === 0) return;
      const other = doubt ? doubt.other[least!]! : nextBest(lined, unit);
      found.push({
        ...{ notes: unit.notes, why, doubt: size, line: lattice.tick[unit.line]! },
        other: other >= 0 ? lattice.tick[other]! : null,
        ...neighbours(lined, unit.line),
        beat: lattice.beat[unit.line]!,
      });
    });
    places.push(...byBeat(found));
  }
  const most = Math.max(ALWAYS, Math.floor((treated.notes.length * MOST_OF_HUNDRED) / 100));
  return places
    .sort((a, b) => expectedWrong(b) - expectedWrong(a))
    .slice(0, most)
    .sort((a, b) => b.doubt - a.doubt || a.line - b.line);
}

interface OneDoubt extends Omit<Doubtful, 'others'> {
  readonly beat: number;
}

/** Unsure notes of a beat in one place: where a beat was read wrongly, most of its notes are on a wrong line. */
function byBeat(found: readonly OneDoubt[]): Doubtful[] {
  const beats = new Map<number, OneDoubt[]>();
  for (const one of found) beats.set(one.beat, [...(beats.get(one.beat) ?? []), one]);
  return [...beats.values()].map((own) => {
    const first = own.reduce((a, b) => (b.doubt > a.doubt ? b : a));
    return { ...first, others: own.filter((d) => d !== first) };
  });
}

/** Number of notes of a place that are expected to be on a wrong line. */
const expectedWrong = (place: Doubtful): number =>
  [place, ...place.others].reduce((sum, { notes, doubt }) => sum + notes.length * doubt, 0);

const tickLength = (note: Note, { tempo }: Clock): number => {
  const [a, b] = [secondsAt(tempo, note.start), secondsAt(tempo, note.start + 1)];
  return b - a;
};

/** Index of the onset whose line is the least sure, of those that move as one. */
const leastSure = ({ onsets }: Unit, { sure }: Doubt): number =>
  onsets.reduce((least, s) => (sure[s]! < sure[least]! ? s : least));

/** The line on the other side of where a unit was struck; -1 where there is none. */
function nextBest({ lattice }: Lined, { at, line }: Unit): number {
  const other = at < lattice.seconds[line]! ? line - 1 : line + 1;
  return other >= 0 && other < lattice.size ? other : -1;
}

/** Nearness of a note to the middle between two lines: a half right there, and nothing up to a quarter of the way. */
function nearness(lined: Lined, unit: Unit): number {
  const other = nextBest(lined, unit);
  if (other < 0) return 0;
  const own = Math.abs(unit.at - lined.lattice.seconds[unit.line]!);
  const apart = Math.abs(lined.lattice.seconds[other]! - unit.at);
  return own + apart === 0 ? 0 : Math.max(0, (own / (own + apart)) * 2 - 0.5);
}
