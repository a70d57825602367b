import { atRest, valuesBefore, laneOf, restore, restoreBefore, type ControllerValues } from '../performance/controls';
import type { ControlEvent } from '../performance/controls';
import { byStart, type Note, type Reading } from '../performance/notes';
import { inRange, wholeTicks, type TickRange, type Ticks } from '../time/units';
import { belongsTo } from './meaning';

/** One stretch of the comp: in it, that take is heard. */
export interface Pick extends TickRange {
  readonly takeId: string;
}

/**
 * Picks one take for a range. What was picked there before gives way; the rest of it stays.
 * @returns picks on whole ticks, in time order, that do not overlap; neighbours from the same take are one
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
    if (last && last.takeId === next.takeId && last.to === next.from) done[done.length - 1] = { ...last, to: next.to };
    else done.push(next);
    return done;
  }, []);
}

/** Whether a note rings on over a join, from one stretch to what follows it. */
export type RingsOn = (note: Note, stretch: Pick, next: Pick | undefined) => boolean;

/** Without what says again at a join what is so already: a take that is at rest there has nothing to say. */
function withoutRepeats(controls: readonly ControlEvent[], values: ControllerValues, join: Ticks): ControlEvent[] {
  const there = controls.filter((c) => c.at === join);
  const repeats = there.filter(({ message }) => {
    const lane = laneOf(message);
    const now = values.get(lane) ?? atRest(message);
    return now?.value === message.value && there.filter((c) => laneOf(c.message) === lane).length === 1;
  });
  return repeats.length ? controls.filter((c) => !repeats.includes(c)) : [...controls];
}

/**
 * The takes' notes and controllers where they are picked. A note belongs to the stretch that its strike means, and is
 * cut at its end, unless it rings on, or the take that follows strikes the same key a little ahead of it; at each join
 * the controllers take the value they have in the take that follows, and after a stretch that nothing follows they go
 * to rest.
 */
export function readComp(
  comp: readonly Pick[],
  takeOf: (takeId: string) => Reading,
  ringsOn: RingsOn = () => false,
): Reading {
  const notes: Note[] = [];
  const controls: ControlEvent[] = [];
  let values: ControllerValues = new Map();
  /** Notes that the join before cut, by key. */
  let cut: number[] = [];
  comp.forEach((stretch, i) => {
    const take = takeOf(stretch.takeId);
    const after = comp[i + 1];
    const next = after?.from === stretch.to ? after : undefined;
    const cutHere: number[] = [];
    for (const note of take.notes) {
      if (!belongsTo(note, stretch, next !== undefined)) continue;
      if (note.start < stretch.from) {
        for (const k of cut)
          if (notes[k]!.key === note.key && notes[k]!.end > note.start)
            notes[k] = { ...notes[k]!, end: Math.max(notes[k]!.start, note.start) };
      }
      const stays = note.end <= stretch.to || ringsOn(note, stretch, next);
      if (!stays) cutHere.push(notes.length);
      notes.push(stays ? note : { ...note, end: stretch.to });
    }
    cut = cutHere;
    const inside = take.controls.filter((c) => inRange(c.at, stretch));
    const own = valuesBefore(take.controls, stretch.from);
    for (const c of restoreBefore(values, own, stretch.from, inside)) controls.push(c);
    for (const c of withoutRepeats(inside, values, stretch.from)) controls.push(c);
    values = valuesBefore(take.controls, stretch.to);
    if (!next) {
      controls.push(...restore(values, new Map(), stretch.to));
      values = new Map();
    }
  });
  // One stretch after another is in order already, but for chords that a join cuts through.
  return { notes: comp.length > 1 ? notes.sort(byStart) : notes, controls };
}
