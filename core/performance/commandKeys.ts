import type { Action } from './learned';

/** Lowest command key, an octave below middle C: all commands are on a keyboard of 49 keys. */
const LOWEST = 48;

/**
 * Commands by key from {@link LOWEST} up, black keys included: places at the bottom, the pass and its take in the
 * middle, sound and parts at the top. Opposites are neighbours.
 */
const UPWARDS: readonly Action[] = [
  ...(['previous section', 'bar back', 'next section', 'bar on', 'lead-in', 'in'] as const),
  ...(['previous preset', 'out', 'next preset', 'loop', 'plain', 'next mode'] as const),
  ...(['record', 'play', 'go again', 'stop', 'keep', 'undo'] as const),
  ...(['undo pass', 'mark good', 'previous take', 'mark maybe', 'next take', 'mark no'] as const),
  ...(['previous part', 'slower', 'next part', 'faster', 'wait', 'quantize'] as const),
  ...(['click softer', 'steady', 'click louder', 'click', 'redo', 'panic', 'copy here'] as const),
];

/** Action of each MIDI key, 0 to 127, while the command key is down. */
export const COMMANDS_BY_KEY: ReadonlyMap<number, Action> = new Map(UPWARDS.map((action, i) => [LOWEST + i, action]));
