import { describe, expect, it } from 'vitest';
import { modeOf, outcomeOf } from './outcome';

const silent = { played: 0, whole: true, touched: false, begun: false };
const some = { ...silent, played: 3, touched: true };

describe('what becomes of a layer', () => {
  it('the laps take the place of the mode', () => {
    expect(modeOf({ laps: 'build up' }, 'replace')).toBe('merge');
    expect(modeOf({}, 'replace')).toBe('replace');
  });

  it('one controller alone makes no take', () => expect(modeOf({ ride: 'bend' }, 'new take')).toBe('replace'));

  it('a new take needs a note, or the take that a lap before it began', () => {
    expect(outcomeOf({}, 'new take', { ...silent, touched: true })).toEqual({ goes: 'nowhere', heard: false });
    expect(outcomeOf({}, 'new take', some)).toEqual({ goes: 'new take', heard: true });
    expect(outcomeOf({}, 'new take', { ...silent, touched: true, begun: true }).goes).toBe('new take');
  });

  it('of the last full lap, one that was broken off is a take that is not heard', () => {
    const laps = 'keep the last full lap';
    expect(outcomeOf({ laps }, 'merge', { ...some, whole: false })).toEqual({ goes: 'new take', heard: false });
    expect(outcomeOf({ laps }, 'merge', some)).toEqual({ goes: 'new take', heard: true });
  });

  it('a pass of silence clears what it replaces; a lap of silence leaves the last one standing', () => {
    expect(outcomeOf({}, 'replace', silent).goes).toBe('over');
    expect(outcomeOf({ laps: 'play to overwrite' }, 'merge', silent).goes).toBe('nowhere');
  });
});
