import type { Part } from '../document/part';
import { laneWords } from '../recording/brief';
import type { Lane } from '../performance/controls';
import type { MeterMap } from '../time/meter';
import { barsWords } from '../time/words';
import { inRange, TICK_TOLERANCE, type TickRange } from '../time/units';
import type { Shown } from './editedView';

/** Number of hand-edited notes in a range, by kind of edit; one note can count for several. */
export interface Counts {
  readonly moved: number;
  readonly lengths: number;
  readonly pitched: number;
  readonly touched: number;
  readonly silent: number;
  readonly gone: number;
  readonly added: number;
}

export function countsIn({ line, silent, removed, before }: Shown, range: TickRange): Counts {
  const counts = { moved: 0, lengths: 0, pitched: 0, touched: 0, added: 0 };
  for (const note of [...line.notes, ...silent]) {
    if (!inRange(note.start, range)) continue;
    const { played, made, fixed } = note;
    if (made) counts.added += 1;
    else {
      if (fixed === 'start' || fixed === 'both') {
        if (Math.abs(played.start - note.start) > TICK_TOLERANCE) counts.moved += 1;
        else if (fixed === 'both' && Math.abs(played.end - note.end) > TICK_TOLERANCE) counts.lengths += 1;
      } else if (fixed === 'end') counts.lengths += 1;
      if (played.key !== note.key) counts.pitched += 1;
      // A velocity that a treatment made is not set by hand.
      const own = before(note.id) ?? note;
      if (played.velocity !== own.velocity || played.release !== own.release) counts.touched += 1;
    }
  }
  return {
    ...counts,
    silent: silent.filter((n) => inRange(n.start, range)).length,
    gone: removed.filter((n) => inRange(n.start, range)).length,
  };
}

/** Controllers that were drawn in a range, with the places. */
export function drawnIn({ takes, comp }: Pick<Part, 'takes' | 'comp'>, range: TickRange): Map<Lane, TickRange[]> {
  const drawn = new Map<Lane, TickRange[]>();
  for (const pick of comp) {
    const take = takes.find((t) => t.id === pick.takeId);
    for (const edit of take?.edits ?? []) {
      if (edit.op !== 'draw' && edit.op !== 'scale' && edit.op !== 'give lane back') continue;
      const from = Math.max(edit.from, pick.from, range.from);
      const to = Math.min(edit.to, pick.to, range.to);
      if (to <= from) continue;
      if (edit.op === 'give lane back') {
        for (const [lane, there] of drawn)
          if (edit.lane === null || edit.lane === lane)
            drawn.set(
              lane,
              there.flatMap((r) =>
                [
                  { from: r.from, to: Math.min(r.to, from) },
                  { from: Math.max(r.from, to), to: r.to },
                ].filter((p) => p.to > p.from),
              ),
            );
      } else drawn.set(edit.lane, [...(drawn.get(edit.lane) ?? []), { from, to }]);
    }
  }
  for (const [lane, there] of drawn) if (there.length === 0) drawn.delete(lane);
  return drawn;
}

const COUNTED: readonly [keyof Counts, string, string][] = [
  ['moved', 'note moved by hand', 'notes moved by hand'],
  ['lengths', 'of another length', 'of another length'],
  ['pitched', 'on another key', 'on another key'],
  ['touched', 'of another velocity', 'of another velocity'],
  ['added', 'added', 'added'],
  ['silent', 'silent', 'silent'],
  ['gone', 'gone', 'gone'],
];

/** Words such as "4 notes moved by hand, 1 gone, pedal drawn anew in bar 20"; empty where nothing was edited. */
export function handWords(counts: Counts, drawn: ReadonlyMap<Lane, readonly TickRange[]>, meter: MeterMap): string {
  const words = COUNTED.flatMap(([key, one, many], i) => {
    const n = counts[key];
    if (n === 0) return [];
    const first = COUNTED.slice(0, i).every(([k]) => counts[k] === 0);
    const noun = first && i > 0 ? `note${n === 1 ? '' : 's'} ` : '';
    return [`${n} ${noun}${n === 1 ? one : many}${noun ? ' by hand' : ''}`];
  });
  const lanes = [...drawn].map(([lane, ranges]) => {
    const span = { from: Math.min(...ranges.map((r) => r.from)), to: Math.max(...ranges.map((r) => r.to)) };
    const bars = barsWords(span, meter);
    return `${laneWords(lane)} drawn anew in ${bars}`;
  });
  return [...words, ...lanes].join(', ');
}
