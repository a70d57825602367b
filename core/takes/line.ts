import {
  atRest,
  firstAt,
  laneOf,
  restore,
  restoreBefore,
  valuesAlong,
  valuesBefore,
  type ControllerValues,
} from '../performance/controls';
import type { ControlEvent, Lane } from '../performance/controls';
import { SUSTAIN } from '../performance/messages';
import { byStart, SILENCE, type Note, type Reading } from '../performance/notes';
import { inRange, wholeTicks, type TickRange, type Ticks } from '../time/units';
import { firstFrom, heldUntil, LIFT_AHEAD, type JoinChoice } from './join';
import { belongsTo, MEANT_AHEAD } from '../performance/intendedPlace';

/** Range of the comp, and the take that is heard in it. */
export interface Pick extends TickRange {
  readonly takeId: string;
  /** Picker; missing where a pass was simply heard from then on. */
  readonly by?: PickedBy | undefined;
}
export const PICKED_BY = ['hand', 'suggestion'] as const;
export type PickedBy = (typeof PICKED_BY)[number];

/** Range in which one controller, or all, come from another take than the notes. */
export interface LanePick extends TickRange {
  readonly takeId: string;
  /** Null for all controllers. */
  readonly lane: Lane | null;
}

/**
 * Picks one take for a range. What was picked there before gives way; the rest of it stays.
 * @returns picks on whole ticks, in time order, that do not overlap; neighbours from the same take, picked by the same,
 *   are one
 */
export function pick(comp: readonly Pick[], chosen: Pick): Pick[] {
  const own = wholeTicks(chosen);
  const left = comp.map(wholeTicks).flatMap((p): Pick[] => [
    { ...p, to: Math.min(p.to, own.from) },
    { ...p, from: Math.max(p.from, own.to) },
  ]);
  const sorted = [...left, own].filter((p) => p.to > p.from).sort((a, b) => a.from - b.from);
  return sorted.reduce<Pick[]>((done, next) => {
    const last = done.at(-1);
    if (last && last.takeId === next.takeId && last.by === next.by && last.to === next.from)
      done[done.length - 1] = { ...last, to: next.to };
    else done.push(next);
    return done;
  }, []);
}

/** Picks without what lies in a range. */
export const unpicked = <T extends TickRange>(ranges: readonly T[], range: TickRange): T[] =>
  ranges
    .flatMap((s): T[] => [
      { ...s, to: Math.min(s.to, range.from) },
      { ...s, from: Math.max(s.from, range.to) },
    ])
    .filter((s) => s.to > s.from);

/** Place up to which a note rings on over a join, its own end at most; the end of its range where it is cut there. */
export type RingsOn = (note: Note, range: Pick, next: Pick | undefined) => Ticks;

/** Controllers without those that repeat, at a join, the value that is held already. */
function withoutRepeats(controls: readonly ControlEvent[], values: ControllerValues, join: Ticks): ControlEvent[] {
  const there = controls.filter((c) => c.at === join);
  const repeats = there.filter(({ message }) => {
    const lane = laneOf(message);
    const now = values.get(lane) ?? atRest(message);
    return now?.value === message.value && there.filter((c) => laneOf(c.message) === lane).length === 1;
  });
  return repeats.length ? controls.filter((c) => !repeats.includes(c)) : [...controls];
}

/** Controllers with the pedal lifted just before a join, where it is down there. */
function liftedAhead(inside: readonly ControlEvent[], values: ControllerValues, join: Ticks | null): ControlEvent[] {
  const pedal = values.get(`control ${SUSTAIN}`);
  if (join === null || !pedal || (pedal.value as number) < 64) return [...inside];
  const at = join - LIFT_AHEAD;
  const isPedal = ({ message }: ControlEvent) => message.type === 'control' && message.controller === SUSTAIN;
  const rest = inside.filter((c) => !(isPedal(c) && c.at >= at));
  const lift: ControlEvent = { at, message: { type: 'control', controller: SUSTAIN, value: 0 } };
  return [...rest, lift].sort((a, b) => a.at - b.at);
}

/** The notes that can belong to a range; all of them where a join may keep some from anywhere. */
const notesFor = (notes: readonly Note[], { from, to }: TickRange, all: boolean): readonly Note[] =>
  all ? notes : notes.slice(firstFrom(notes, from - MEANT_AHEAD), firstFrom(notes, to));

/** Range of a comp, with what is read there and around it. */
interface CompRange {
  readonly range: Pick;
  readonly take: Reading;
  /** Range that follows at once, and its take; silence where none does. */
  readonly next: Pick | undefined;
  readonly following: Reading;
  /** Choices for the joins at its two ends. */
  readonly begins: JoinChoice | undefined;
  readonly ends: JoinChoice | undefined;
}

function rangesOf(
  comp: readonly Pick[],
  takeOf: (takeId: string) => Reading,
  choiceOf: (before: Pick, after: Pick) => JoinChoice | undefined,
): CompRange[] {
  let begins: JoinChoice | undefined;
  return comp.map((range, i): CompRange => {
    const after = comp[i + 1];
    const next = after?.from === range.to ? after : undefined;
    const ends = next && choiceOf(range, next);
    const following = next && ends ? takeOf(next.takeId) : SILENCE;
    const read = { range, take: takeOf(range.takeId), next, following, begins, ends };
    begins = ends;
    return read;
  });
}

/** The notes that belong to a range by their start, and by what was chosen for its joins. */
function notesIn({ range, take, next, begins, ends }: CompRange): Note[] {
  const keep = [...(begins?.keep ?? []), ...(ends?.keep ?? [])];
  const drop = [...(begins?.drop ?? []), ...(ends?.drop ?? [])];
  return notesFor(take.notes, range, keep.length > 0).filter(
    (note) => (keep.includes(note.id) || belongsTo(note, range, next !== undefined)) && !drop.includes(note.id),
  );
}

/** Notes where they are picked, each with its end at the joins. */
function notesOfComp(ranges: readonly CompRange[], ringsOn: RingsOn): Note[] {
  const notes: Note[] = [];
  /** Places in the list of the notes that the join before cut. */
  let cut: number[] = [];
  /** Ends what the join cut where the take that follows plays the same key ahead of it. */
  const endBefore = ({ key, start }: Note): void => {
    for (const k of cut) {
      const before = notes[k]!;
      if (before.key === key && before.end > start) notes[k] = { ...before, end: Math.max(before.start, start) };
    }
  };
  for (const read of ranges) {
    const { range, next, following, ends } = read;
    const cutHere: number[] = [];
    for (const note of notesIn(read)) {
      if (note.start < range.from) endBefore(note);
      const rings = note.end <= range.to ? note.end : Math.min(note.end, ringsOn(note, range, next));
      const stays = note.end <= range.to || rings > range.to;
      const cutAt = ends ? heldUntil(note, ends.held, range.to, following) : range.to;
      const end = stays ? rings : cutAt;
      if (!stays) cutHere.push(notes.length);
      notes.push(end === note.end ? note : { ...note, end });
    }
    cut = cutHere;
  }
  // Ranges follow each other in time, so that only chords cut by a join can be out of order.
  return ranges.length > 1 ? notes.sort(byStart) : notes;
}

/** Controllers where they are picked, with the values that the joins and the ends need. */
function controlsOfComp(ranges: readonly CompRange[]): ControlEvent[] {
  const controls: ControlEvent[] = [];
  let values: ControllerValues = new Map();
  // Ranges come in time order: what a take's controllers hold is followed on from one to the next.
  const followed = new Map<readonly ControlEvent[], ReturnType<typeof valuesAlong>>();
  const valuesIn = (of: readonly ControlEvent[], tick: Ticks): ControllerValues => {
    let own = followed.get(of);
    if (!own) followed.set(of, (own = valuesAlong(of)));
    return own(tick);
  };
  for (const { range, take, next, ends } of ranges) {
    const own = valuesIn(take.controls, range.from);
    const atEnd = valuesIn(take.controls, range.to);
    const inside = liftedAhead(
      take.controls.slice(firstAt(take.controls, range.from), firstAt(take.controls, range.to)),
      atEnd,
      ends?.lift ? range.to : null,
    );
    for (const c of restoreBefore(values, own, range.from, inside)) controls.push(c);
    for (const c of withoutRepeats(inside, values, range.from)) controls.push(c);
    values = ends?.lift ? valuesBefore([...take.controls.filter((c) => c.at < range.to), ...inside], range.to) : atEnd;
    if (next) continue;
    controls.push(...restore(values, new Map(), range.to));
    values = new Map();
  }
  return controls;
}

/**
 * The takes' notes and controllers where they are picked. A note belongs to the range that its start means, and is
 * cut at its end, unless it rings on, or the take that follows plays the same key a little ahead of it; at each join
 * the controllers take the value they have in the take that follows, and after a range that nothing follows they go
 * to rest.
 */
export function readComp(
  comp: readonly Pick[],
  takeOf: (takeId: string) => Reading,
  ringsOn: RingsOn = (_, range) => range.to,
  choiceOf: (before: Pick, after: Pick) => JoinChoice | undefined = () => undefined,
): Reading {
  const ranges = rangesOf(comp, takeOf, choiceOf);
  return { notes: notesOfComp(ranges, ringsOn), controls: controlsOfComp(ranges) };
}

/**
 * The comp with some controllers from other takes than its notes: within each range that take's, and after it the
 * comp's again.
 */
export function withLanes(comp: Reading, lanes: readonly LanePick[], takeOf: (takeId: string) => Reading): Reading {
  return lanes.reduce((reading, { from, to, lane, takeId }) => {
    const isOf = ({ message }: ControlEvent): boolean => lane === null || laneOf(message) === lane;
    const [own, others] = [reading.controls.filter(isOf), takeOf(takeId).controls.filter(isOf)];
    const inside = others.filter((c) => inRange(c.at, { from, to }));
    const early = own.filter((c) => c.at < from);
    const late = own.filter((c) => c.at >= to);
    const controls = [
      ...reading.controls.filter((c) => !isOf(c)),
      ...early,
      ...restoreBefore(valuesBefore(early, from), valuesBefore(others, from), from, inside),
      ...inside,
      ...restoreBefore(valuesBefore(others, to), valuesBefore(own, to), to, late),
      ...late,
    ].sort((a, b) => a.at - b.at);
    return { notes: reading.notes, controls };
  }, comp);
}
