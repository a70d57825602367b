import { describe, expect, it } from 'vitest';
import { newBrief } from '../document/brief';
import { newSong } from '../document/document';
import { mapsOf } from '../document/maps';
import { newPart, type Part } from '../document/part';
import type { Take } from '../document/take';
import type { Note } from '../performance/notes';
import { header } from '../testing/arbitraries';
import { layerFacts, playedWords, spreadOf, takeBeside } from './takes';

const song = newSong('x', 'piano');
const maps = mapsOf(song);
const BAR = 3840;
const take = (id: string, from: number, to: number): Take => ({
  id,
  number: 1,
  layers: [`layer of ${id}`],
  from: from * BAR,
  to: to * BAR,
  placement: { policy: 'heard', nudge: 0 },
  at: '',
  name: '',
  note: '',
  mark: null,
  placements: {},
  warps: [],
  windows: {},
  muted: [],
  edits: [],
});
const part: Part = {
  ...newPart({ id: 'piano', name: 'Piano' }, 0),
  takes: [take('a', 0, 8), take('b', 2, 4), take('c', 6, 8)],
  comp: [{ from: 0, to: 8 * BAR, takeId: 'a' }],
};
const brief = newBrief('piano');
const punch = { ...brief, range: { from: 3 * BAR, to: 5 * BAR } };
const note = (bar: number): Note => ({
  id: `${bar}`,
  key: 60,
  velocity: 80,
  release: 64,
  start: (bar - 1) * BAR,
  end: (bar - 1) * BAR + 100,
});

describe('another take', () => {
  it('is the next that has something where the brief records, in the bars that it has', () => {
    const found = takeBeside(part, punch, 0, maps.end, 1);
    expect(found).toMatchObject({ take: { id: 'b' }, range: { from: 3 * BAR, to: 4 * BAR } });
  });

  it('is looked for in the comp’s range at the playhead, where the brief says no bars', () => {
    expect(takeBeside(part, brief, BAR, maps.end, 1)).toMatchObject({ take: { id: 'b' } });
    const cut = { ...part, comp: [{ from: 0, to: 5 * BAR, takeId: 'a' }] };
    expect(takeBeside(cut, brief, 20 * BAR, maps.end, 1)).toMatchObject({ take: { id: 'b' } });
  });

  it('is told when there is none, or no further one', () => {
    expect(takeBeside(part, punch, 0, maps.end, -1)).toBe('last');
    expect(takeBeside(part, { ...brief, range: { from: 9 * BAR, to: 10 * BAR } }, 0, maps.end, 1)).toBe('none');
  });
});

describe('what has been played of a part', () => {
  it('is told in bars', () => {
    expect(playedWords(part, [], maps, 32)).toBe('nothing picked');
    expect(playedWords({ ...part, takes: [] }, [], maps, 32)).toBe('not played yet');
    expect(playedWords(part, [note(3), note(4), note(5)], maps, 32)).toBe('bars 3–5 of 32');
    expect(playedWords(part, [note(3), note(9)], maps, 32)).toBe('2 bars of 32');
    expect(playedWords(part, [note(3)], maps, 32)).toBe('bar 3 of 32');
  });
});

describe('the spread of notes', () => {
  const at = (ticks: number): Note => ({ ...note(1), start: ticks, end: ticks + 10 });

  it('is how far they scatter around their sixteenths, not how far off they are as a whole', () => {
    // At 100 a minute 16 ticks are 10 ms.
    expect(spreadOf({ notes: [at(16), at(240 + 16), at(480 + 16)] }, maps)).toBeCloseTo(0, 6);
    expect(spreadOf({ notes: [at(0), at(240 + 32)] }, maps)).toBeCloseTo(10, 6);
  });

  it('is not told of fewer than two', () => {
    expect(spreadOf({ notes: [at(0)] }, maps)).toBeNull();
  });
});

describe('a layer of a take', () => {
  const layer = (over: object, clears: readonly { from: number; to: number }[] = []) => ({
    header: header({ partId: 'piano', startedAt: '2026-03-01T10:00:00.000Z', ...over }),
    closing: { range: { from: BAR, to: 3 * BAR }, clears },
    events: [
      { at: 3, message: { type: 'noteOn', key: 60, velocity: 80 } as const },
      { at: 3.5, message: { type: 'noteOff', key: 60, velocity: 64 } as const },
    ],
  });

  it('says which it is, what it did, its bars, its notes and when', () => {
    expect(layerFacts(layer({}), take('a', 0, 8), 0, maps)).toEqual({
      name: 'pass 1',
      does: 'first',
      bars: 'bars 2–3',
      notes: 1,
      at: '2026-03-01T10:00:00.000Z',
    });
    expect(layerFacts(layer({ lap: 2 }), take('a', 0, 8), 1, maps)).toMatchObject({ name: 'lap 3', does: 'added' });
    const clearing = layer({ lap: 2 }, [{ from: BAR, to: 2 * BAR }]);
    expect(layerFacts(clearing, take('a', 0, 8), 1, maps)).toMatchObject({ does: 'replaces' });
  });
});
