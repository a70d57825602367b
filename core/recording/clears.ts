import { laneOf, type ControlEvent, type Lane } from '../performance/controls';
import { TICKS_PER_QUARTER, wholeTicks, type TickRange, type Ticks } from '../time/units';
import type { Mode } from '../vocabulary/modes';

/** Longest silence within a phrase, unless the brief sets another. */
const PHRASE_GAP: Ticks = TICKS_PER_QUARTER;

interface Sounding {
  readonly start: Ticks;
  readonly end: Ticks;
}

/** Phrases of playing, each from its first note-on to its last note-off. A silence of `gap` ends one. */
export function phrases(notes: readonly Sounding[], gap: Ticks): TickRange[] {
  return notes.reduce<TickRange[]>((done, note) => {
    const last = done.at(-1);
    if (last && note.start - last.to < gap)
      done[done.length - 1] = { from: last.from, to: Math.max(last.to, note.end) };
    else done.push({ from: note.start, to: note.end });
    return done;
  }, []);
}

/** Movements of one controller as events without length: they count as playing while a pass rides that controller. */
export const movesOf = (controls: readonly ControlEvent[], lane: Lane): Sounding[] =>
  controls.filter((c) => laneOf(c.message) === lane).map(({ at }) => ({ start: at, end: at }));

/**
 * Ranges that a layer clears in the layers beneath it, in whole ticks.
 * @param recorded from where recording began to where it ended
 * @param notes the layer's own notes in that range, by start
 */
export function clearsOf(mode: Mode, recorded: TickRange, notes: readonly Sounding[], gap = PHRASE_GAP): TickRange[] {
  switch (mode) {
    case 'new take':
    case 'merge':
      return [];
    case 'replace':
      return [recorded];
    // A note that rings into the lead-out clears nothing there.
    case 'replace while I play':
      return phrases(notes, gap).map(({ from, to }) => wholeTicks({ from, to: Math.min(to, recorded.to) }));
    case 'replace from my first note':
      return notes[0] ? [wholeTicks({ from: notes[0].start, to: recorded.to })] : [];
  }
}
