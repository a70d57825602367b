import type { Action } from '~~/core/performance/learned';

/** Practice speeds to choose from, slowest first. */
export const SPEEDS: readonly number[] = [0.5, 0.6, 0.7, 0.8, 0.9, 1];

interface Facts {
  readonly name: string;
  /** The computer's key, by the name that shortcuts go by; none where only a button or a taught key does it. */
  readonly key?: string;
}

/** What the player can ask for with one move: its name, and the computer's key for it, the same at every station. */
export const ACTION_FACTS: Readonly<Record<Action, Facts>> = {
  record: { name: 'Record', key: 'r' },
  stop: { name: 'Stop' },
  play: { name: 'Play and stop', key: ' ' },
  'go again': { name: 'Go again', key: 'g' },
  keep: { name: 'Keep what I just played', key: 'k' },
  undo: { name: 'Undo', key: 'u' },
  'undo pass': { name: 'Undo the whole pass', key: 'shift+u' },
  redo: { name: 'Redo', key: 'y' },
  'next take': { name: 'Next take', key: '.' },
  'previous take': { name: 'Take before', key: ',' },
  'mark good': { name: 'Mark the take good' },
  'mark maybe': { name: 'Mark the take maybe' },
  'mark no': { name: 'Mark the take no' },
  in: { name: 'In, at the playhead', key: 'i' },
  out: { name: 'Out, at the playhead', key: 'o' },
  'lead-in': { name: 'Lead-in on or off', key: 'e' },
  loop: { name: 'Loop on or off', key: 'l' },
  'next section': { name: 'Next section', key: 'shift+arrowright' },
  'previous section': { name: 'Section before', key: 'shift+arrowleft' },
  'next part': { name: 'Arm the next part', key: 'shift+arrowdown' },
  'previous part': { name: 'Arm the part before', key: 'shift+arrowup' },
  plain: { name: 'Plain new take', key: 'n' },
  'next preset': { name: 'Next preset' },
  'previous preset': { name: 'Preset before' },
  click: { name: 'Click on or off', key: 'c' },
  slower: { name: 'Slower', key: '-' },
  faster: { name: 'Faster, up to the song’s speed', key: '+' },
  wait: { name: 'Wait for my first note, or not', key: 'w' },
  quantize: { name: 'Quantize the part', key: 'shift+q' },
  steady: { name: 'Steady the hand in the part', key: 'shift+s' },
  panic: { name: 'All notes off', key: 'p' },
};

const SIGNS: Readonly<Record<string, string>> = {
  ' ': 'Space',
  arrowleft: '←',
  arrowright: '→',
  arrowup: '↑',
  arrowdown: '↓',
};

/** A shortcut as it is written: while the computer's keys play, a letter wants Ctrl. */
export function keyWords(key: string, computerPlays: boolean): string {
  const parts = key.split(/(?<=shift)\+/);
  const last = parts.at(-1)!;
  const isLetter = /^[a-z]$/.test(last);
  return [
    ...(isLetter && computerPlays ? ['Ctrl'] : []),
    ...(parts.length > 1 ? ['Shift'] : []),
    SIGNS[last] ?? (isLetter ? last.toUpperCase() : last),
  ].join(' ');
}
