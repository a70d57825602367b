import type { Action } from '~~/core/performance/learned';

/** Practice speeds to choose from, slowest first. */
export const SPEEDS: readonly number[] = [0.5, 0.6, 0.7, 0.8, 0.9, 1];

interface Facts {
  readonly name: string;
  /** Label of a word or two, for a piano key. */
  readonly short: string;
  /** Default computer key, by its name in shortcuts; undefined where only a button or a taught key does it. */
  readonly key?: string;
}

/** Label and default computer key of each action, the same at every station. */
export const ACTION_FACTS: Readonly<Record<Action, Facts>> = {
  record: { name: 'Record', short: 'Record', key: 'r' },
  stop: { name: 'Stop', short: 'Stop' },
  play: { name: 'Play and stop', short: 'Play', key: ' ' },
  'go again': { name: 'Go again', short: 'Again', key: 'g' },
  keep: { name: 'Keep what I just played', short: 'Keep', key: 'k' },
  undo: { name: 'Undo', short: 'Undo', key: 'u' },
  'undo pass': { name: 'Undo the whole pass', short: 'Undo pass', key: 'shift+u' },
  redo: { name: 'Redo', short: 'Redo', key: 'y' },
  'next take': { name: 'Next take', short: 'Take after', key: '.' },
  'previous take': { name: 'Take before', short: 'Take before', key: ',' },
  'mark good': { name: 'Mark the take good', short: 'Good' },
  'mark maybe': { name: 'Mark the take maybe', short: 'Maybe' },
  'mark no': { name: 'Mark the take no', short: 'No' },
  in: { name: 'In, at the playhead', short: 'In', key: 'i' },
  out: { name: 'Out, at the playhead', short: 'Out', key: 'o' },
  'lead-in': { name: 'Lead-in on or off', short: 'Lead-in', key: 'e' },
  loop: { name: 'Loop on or off', short: 'Loop', key: 'l' },
  'next section': { name: 'Next section', short: 'Section after', key: 'shift+arrowright' },
  'previous section': { name: 'Section before', short: 'Section before', key: 'shift+arrowleft' },
  'next part': { name: 'Arm the next part', short: 'Part after', key: 'shift+arrowdown' },
  'previous part': { name: 'Arm the part before', short: 'Part before', key: 'shift+arrowup' },
  plain: { name: 'Plain new take', short: 'Plain take', key: 'n' },
  'next preset': { name: 'Next preset', short: 'Preset after' },
  'previous preset': { name: 'Preset before', short: 'Preset before' },
  click: { name: 'Click on or off', short: 'Click', key: 'c' },
  'click louder': { name: 'Click louder', short: 'Click up', key: 'shift+c' },
  'click softer': { name: 'Click softer', short: 'Click down', key: 'shift+x' },
  slower: { name: 'Slower', short: 'Slower', key: '-' },
  faster: { name: 'Faster, up to the song’s speed', short: 'Faster', key: '+' },
  wait: { name: 'Wait for my first note, or not', short: 'Wait', key: 'w' },
  'next mode': { name: 'The next way to record', short: 'Way', key: 'v' },
  'copy here': { name: 'Copy the selected bars to the playhead', short: 'Copy here', key: 'shift+v' },
  'bar back': { name: 'A bar back', short: 'Bar before', key: 'arrowleft' },
  'bar on': { name: 'A bar on', short: 'Bar after', key: 'arrowright' },
  quantize: { name: 'Quantize the part', short: 'Quantize', key: 'shift+q' },
  steady: { name: 'Steady the hand in the part', short: 'Steady', key: 'shift+s' },
  panic: { name: 'All notes off', short: 'Notes off', key: 'p' },
};

const SIGNS: Readonly<Record<string, string>> = {
  ' ': 'Space',
  arrowleft: '←',
  arrowright: '→',
  arrowup: '↑',
  arrowdown: '↓',
};

/** Shortcut in words: a letter needs Ctrl while the computer's keys play notes. */
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
