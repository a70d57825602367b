import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { briefSchema, type Brief } from '../document/brief';
import { newSong } from '../document/document';
import { mapsOf } from '../document/maps';
import { LAP_POLICIES, MODES } from '../vocabulary/modes';
import type { BriefControl } from './brief';
import { steppedBrief, steppedMode } from './stepping';

const BAR = 3840;
const song = { ...newSong('x', 'p'), bars: 16 };
const maps = mapsOf(song);
const step = (brief: Partial<Brief>, control: BriefControl, by: 1 | -1 = 1): Brief => {
  const now = { ...song.brief, ...brief };
  return { ...now, ...steppedBrief(control, by, { brief: now, maps, playhead: 2 * BAR, keyboards: ['a', 'b'] }) };
};
const bars = (from: number, to: number) => ({ from: (from - 1) * BAR, to: to * BAR });

describe('a setting of the brief that is stepped', () => {
  it('selects the bar at the playhead, then as many bars on or back, within the song', () => {
    expect(step({}, 'where').range).toEqual(bars(3, 3));
    expect(step({ range: bars(3, 4) }, 'where').range).toEqual(bars(5, 6));
    expect(step({ range: bars(3, 4) }, 'where', -1).range).toEqual(bars(1, 2));
    expect(step({ range: bars(1, 4) }, 'where', -1).range).toEqual(bars(1, 4));
    expect(step({ range: bars(14, 16) }, 'where').range).toEqual(bars(14, 16));
  });

  it('goes round ways to record: all of them, laps where there is a loop, two over a controller', () => {
    const all = (brief: Partial<Brief>, count: number) => {
      let now = { ...song.brief, ...brief };
      return Array.from({ length: count }, () => {
        now = { ...now, ...steppedMode(now) };
        return now.loop ? now.laps : now.mode;
      });
    };
    expect(new Set(all({}, MODES.length))).toEqual(new Set(MODES));
    expect(new Set(all({ loop: true }, LAP_POLICIES.length))).toEqual(new Set(LAP_POLICIES));
    expect(all({ ride: 'control 1', mode: 'replace' }, 2)).toEqual(['merge', 'replace']);
  });

  it('goes through the keyboards that are on, and any of them', () => {
    expect(step({}, 'keyboard').keyboard).toBe('a');
    expect(step({ keyboard: 'b' }, 'keyboard').keyboard).toBeNull();
    // A keyboard that went away gives way to any.
    expect(step({ keyboard: 'gone' }, 'keyboard').keyboard).toBeNull();
  });

  it('is a brief that can be kept, however it is stepped', () => {
    const controls = ['count', 'wait', 'lead-in', 'lead-out', 'early', 'mode', 'laps', 'where', 'keyboard', 'quantize'];
    const steps = fc.array(fc.tuple(fc.constantFrom(...(controls as BriefControl[])), fc.constantFrom(1, -1)));
    fc.assert(
      fc.property(steps, fc.boolean(), (all, loop) => {
        let now: Partial<Brief> = { loop };
        for (const [control, by] of all) now = step(now, control, by as 1 | -1);
        const kept = { ...song.brief, ...now };
        expect(briefSchema.parse(kept)).toEqual(kept);
        expect(kept.range === null || (kept.range.from >= 0 && kept.range.to <= maps.end)).toBe(true);
      }),
    );
  });
});
