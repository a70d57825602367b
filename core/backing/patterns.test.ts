import { describe, expect, it } from 'vitest';
import { barStart, meterMap } from '../time/meter';
import { patternHits, PATTERNS } from './patterns';

describe('a rhythm pattern', () => {
  const meters = [
    { bar: 1, beats: 4, unit: 4 },
    { bar: 1, beats: 3, unit: 4 },
    { bar: 1, beats: 6, unit: 8 },
    { bar: 1, beats: 7, unit: 8 },
    { bar: 1, beats: 5, unit: 4 },
  ];
  it('keeps inside its section and its bars, whatever the meter, and starts every bar anew', () => {
    for (const pattern of PATTERNS) {
      for (const m of meters) {
        const meter = meterMap([m]);
        const range = { from: barStart(meter, 3), to: barStart(meter, 7) };
        const hits = patternHits(pattern, range, meter, 3);
        expect(hits.every((h) => h.at >= range.from && h.at < range.to && h.velocity > 0 && h.velocity < 128)).toBe(
          true,
        );
        for (let bar = 3; bar < 7; bar += 1) expect(hits.some((h) => h.at === barStart(meter, bar))).toBe(true);
      }
    }
  });
});
