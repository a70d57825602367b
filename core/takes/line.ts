import { heldBefore, restore, type Held } from '../performance/controls';
import type { ControlEvent } from '../performance/controls';
import { byStart, type Note, type Reading } from '../performance/notes';
import { inRange, type TickRange } from '../time/units';

/** One stretch of the comp: in it, that take is heard. */
export interface Pick extends TickRange {
  readonly takeId: string;
}

/**
 * Picks one take for a range. What was picked there before gives way; the rest of it stays.
 * @returns picks in time order that do not overlap; neighbours from the same take are one
 */
export function pick(comp: readonly Pick[], chosen: Pick): Pick[] {
  const left = comp.flatMap((p): Pick[] => [
    { ...p, to: Math.min(p.to, chosen.from) },
    { ...p, from: Math.max(p.from, chosen.to) },
  ]);
  const sorted = [...left, chosen].filter((p) => p.to > p.from).sort((a, b) => a.from - b.from);
  return sorted.reduce<Pick[]>((done, next) => {
    const last = done.at(-1);
    if (last && last.takeId === next.takeId && last.to === next.from) done[done.length - 1] = { ...last, to: next.to };
    else done.push(next);
    return done;
  }, []);
}

/** Whether a note rings on over a join, from one stretch to what follows it. */
export type RingsOn = (note: Note, stretch: Pick, next: Pick | undefined) => boolean;

/**
 * The takes' notes and controllers where they are picked. A note belongs to the stretch it starts in and
 * is cut at its end, unless it rings on; at each join the controllers take the value they have in the take that
 * follows, and after a stretch that nothing follows they go to rest.
 */
export function readComp(comp: readonly Pick[], takeOf: (takeId: string) => Reading, ringsOn: RingsOn = () => false): Reading {
  const notes: Note[] = [];
  const controls: ControlEvent[] = [];
  let held: Held = new Map();
  comp.forEach((stretch, i) => {
    const take = takeOf(stretch.takeId);
    const after = comp[i + 1];
    const next = after?.from === stretch.to ? after : undefined;
    for (const note of take.notes) {
      if (inRange(note.start, stretch)) notes.push(note.end <= stretch.to || ringsOn(note, stretch, next) ? note : { ...note, end: stretch.to });
    }
    const own = heldBefore(take.controls, stretch.from);
    controls.push(...restore(held, own, stretch.from));
    controls.push(...take.controls.filter((c) => inRange(c.at, stretch)));
    held = heldBefore(take.controls, stretch.to);
    if (!next) {
      controls.push(...restore(held, new Map(), stretch.to));
      held = new Map();
    }
  });
  // One stretch after another is in order already, but for chords that a join cuts through.
  return { notes: comp.length > 1 ? notes.sort(byStart) : notes, controls };
}
