import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import type { Brief } from '../document/brief';
import { newSong, type SongDocument } from '../document/document';
import { mapsOf } from '../document/maps';
import { newPart } from '../document/part';
import { LAP_POLICIES, MODES } from '../vocabulary/modes';
import { header } from '../testing/arbitraries';
import { planOf } from '../testing/passes';
import { previewOf, replacedOnChart } from './passPreview';
import { planPass } from './plan';
import { listenersOf } from './inputRoutes';

const base = newSong('x', 'p');
const withBrief = (brief: Partial<Brief>): SongDocument => ({
  ...base,
  parts: [...base.parts, newPart({ id: 'other', name: 'Other' }, 1)],
  brief: { ...base.brief, range: { from: 3840, to: 7680 }, ...brief },
});
const maps = mapsOf(base);
const preview = (brief: Partial<Brief>, part = 'p', playhead = 0) => previewOf(withBrief(brief), maps, part, playhead);

describe('what Record would do, on the chart', () => {
  it('shows nothing planned where the playhead decides, nor for a part that does not listen', () => {
    expect(preview({ range: null }).planned).toBeNull();
    expect(preview({ punchIn: false, punchOut: false }).range).toBeNull();
    expect(preview({}, 'other')).toMatchObject({ listens: false, planned: null, around: [] });
  });

  it('is red where what is there gives way, less so where only playing does it, and not at all for a merge', () => {
    const over = (brief: Partial<Brief>) => preview(brief).over;
    expect(MODES.map((mode) => over({ mode }))).toEqual(['all', 'nothing', 'all', 'where played', 'where played']);
    expect(LAP_POLICIES.map((laps) => over({ loop: true, laps }))).toEqual([
      'all',
      'nothing',
      'all',
      'where played',
      'all',
      'nothing',
    ]);
    expect(over({ ride: 'control 1', mode: 'replace' })).toBe('nothing');
  });

  it('has the lead-in before it and the lead-out after it, and a loop has none after', () => {
    const leads: Partial<Brief> = { leadIn: { count: 1, unit: 'bars' }, leadOut: { count: 2, unit: 'beats' } };
    expect(preview(leads).around).toEqual([
      { from: 0, to: 3840 },
      { from: 7680, to: 7680 + 1920 },
    ]);
    expect(preview({ ...leads, loop: true }).around).toEqual([{ from: 0, to: 3840 }]);
  });

  it('follows what is being dragged, whatever the ends were', () => {
    const song = withBrief({ punchIn: false, punchOut: false });
    const dragged = { from: 7680, to: 11_520 };
    expect(previewOf(song, maps, 'p', 0, dragged)).toMatchObject({
      range: dragged,
      planned: dragged,
      edges: { from: true, to: true },
    });
  });

  it('is what the pass then plans, wherever a range is set', () => {
    const place = fc.integer({ min: 0, max: 40 }).map((n) => n * 1920);
    fc.assert(
      fc.property(
        place,
        place,
        fc.boolean(),
        fc.boolean(),
        fc.boolean(),
        place,
        (a, b, punchIn, punchOut, loop, at) => {
          const range = { from: Math.min(a, b), to: Math.max(a, b) + 960 };
          const song = withBrief({ range, punchIn, punchOut, loop });
          const { planned } = previewOf(song, maps, 'p', at);
          if (!planned) return;
          let n = 0;
          const plan = planPass({
            song,
            maps,
            listeners: listenersOf(song),
            start: at,
            from: '',
            latency: { output: 0, input: 0 },
            newId: () => `${n++}`,
            at: '',
          });
          expect(plan.range).toEqual({ from: planned.from, to: Math.max(planned.from + 1, planned.to) });
        },
      ),
    );
  });
});

describe('the pass under way', () => {
  const plan = planOf({ layers: [header({ partId: 'p' })] });

  it('replaces its bars on the chart of the part that records, while it records', () => {
    expect(replacedOnChart(plan, 'recording', 'p', { over: 'all' })).toEqual(plan.range);
    expect(replacedOnChart(plan, 'lead-out', 'p', { over: 'all' })).toEqual(plan.range);
    expect(replacedOnChart(plan, 'counting', 'p', { over: 'all' })).toBeNull();
    expect(replacedOnChart(plan, 'recording', 'other', { over: 'all' })).toBeNull();
    expect(replacedOnChart(plan, 'recording', 'p', { over: 'where played' })).toBeNull();
    expect(replacedOnChart(null, 'idle', 'p', { over: 'all' })).toBeNull();
  });
});
