import { describe, expect, it } from 'vitest';
import { belongsTo, MEANT_AHEAD, meansPlace } from './intendedPlace';

describe('the place that a note means', () => {
  it('is the beat just after it, where more of it sounds after the beat than before', () => {
    expect(meansPlace({ start: 3840 - MEANT_AHEAD, end: 4800 }, 3840)).toBe(true);
    expect(meansPlace({ start: 3840 - MEANT_AHEAD - 1, end: 4800 }, 3840)).toBe(false);
    expect(meansPlace({ start: 3800, end: 3850 }, 3840)).toBe(false);
    expect(meansPlace({ start: 3840, end: 4800 }, 3840)).toBe(false);
  });

  it('decides which of two ranges a note belongs to, and it is never both', () => {
    const [before, after] = [
      { from: 0, to: 3840 },
      { from: 3840, to: 7680 },
    ];
    for (let start = 3000; start < 4200; start += 7)
      for (const length of [5, 60, 300]) {
        const note = { start, end: start + length };
        expect(belongsTo(note, before, true) !== belongsTo(note, after, false)).toBe(true);
      }
  });
});
