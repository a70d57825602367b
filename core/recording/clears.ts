import type { Note } from '../performance/notes';
import { TICKS_PER_QUARTER, type TickRange, type Ticks } from '../time/units';

/** What happens to what is there. */
export const MODES = ['new take', 'merge', 'replace', 'replace while I play', 'replace from my first note'] as const;
export type Mode = (typeof MODES)[number];

/** Silence shorter than this does not end a phrase. */
export const PHRASE_GAP: Ticks = TICKS_PER_QUARTER;

/** Stretches of playing, each from its first note-on to its last note-off. */
export function phrases(notes: readonly Note[], gap: Ticks): TickRange[] {
  return notes.reduce<TickRange[]>((done, note) => {
    const last = done.at(-1);
    if (last && note.start - last.to < gap) done[done.length - 1] = { from: last.from, to: Math.max(last.to, note.end) };
    else done.push({ from: note.start, to: note.end });
    return done;
  }, []);
}

/**
 * The ranges that a layer clears beneath it.
 * @param recorded from where recording began to where it ended
 * @param notes the layer's own notes in that range, by start
 */
export function clearsOf(mode: Mode, recorded: TickRange, notes: readonly Note[], gap = PHRASE_GAP): TickRange[] {
  switch (mode) {
    case 'new take':
    case 'merge': return [];
    case 'replace': return [recorded];
    case 'replace while I play': return phrases(notes, gap);
    case 'replace from my first note': return notes[0] ? [{ from: notes[0].start, to: recorded.to }] : [];
  }
}
