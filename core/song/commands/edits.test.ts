import { describe, expect, it } from 'vitest';
import { newSong, type SongDocument } from '../../document/document';
import { newTake } from '../../document/take';
import { mapsOf } from '../../document/maps';
import { change, nameOf, readCommand, undoLabel, type Command } from '../changes';
import { copySong } from '../copy';
import { lineOf, takeReader } from '../../reading/reading';
import { layer, off, on, HEARD } from '../../testing/layers';

const layers = new Map(
  [layer('a', 0, 16, [on(0), off(1), on(4, 62), off(5, 62)]), layer('b', 0, 16, [on(8, 64), off(9, 64)])].map((l) => [
    l.header.id,
    l,
  ]),
);
const take = newTake({ id: 't', number: 1, layers: ['a', 'b'], from: 0, to: 16 * 960, placement: HEARD, at: '' });
const song = (over: Partial<SongDocument> = {}): SongDocument => {
  const made = newSong('x', 'p');
  const part = { ...made.parts[0]!, takes: [take], comp: [{ from: 0, to: 16 * 960, takeId: 't' }] };
  return { ...made, tempo: [{ tick: 0, bpm: 120 }], bars: 8, parts: [part], ...over };
};
const heard = (document: SongDocument, part = 0) =>
  lineOf(document.parts[part]!, takeReader(layers, document.clocks), mapsOf(document)).notes.map((n) => [
    n.key,
    Math.round(n.start),
  ]);
const make = (document: SongDocument, ...commands: Command[]): SongDocument =>
  commands.reduce((now, command) => change(now, command).document, document);
const move: Command = {
  ...{ type: 'edit takes', part: 'p', what: 'moving 2 notes' },
  takes: [{ take: 't', edits: [{ op: 'move', notes: { a: '1', b: '0' }, by: 240, keys: 1 }] }],
};

describe('a take that was changed by hand', () => {
  it('says so to Undo in its own words and is read from storage', () => {
    expect(undoLabel(nameOf(move))).toBe('moving 2 notes');
    expect(readCommand(JSON.parse(JSON.stringify(move)))).toEqual(move);
    const after = make(song(), move);
    expect(heard(after)).toEqual([
      [60, 0],
      [63, 4080],
      [65, 7920],
    ]);
  });

  it('keeps it when a tempo changes under it, whether it follows the bars or stays with the recording', () => {
    const tempo = [{ tick: 0, bpm: 60 }];
    const bars = make(song(), move, { type: 'set tempo', retiming: { tempo, takes: 'bars' } });
    expect(heard(bars)[1]).toEqual([63, 4080]);
    const stays = make(song(), move, { type: 'set tempo', retiming: { tempo, takes: 'recording' } });
    // Half as fast, the same moment lies at half the ticks; what the hand had put there goes with it.
    expect(heard(stays)[1]).toEqual([63, 2040]);
    const later = make(stays, {
      ...{ type: 'edit takes', part: 'p', what: 'x' },
      takes: [{ take: 't', edits: [{ op: 'move', notes: { a: '1' }, by: 10, keys: 0 }] }],
    });
    expect(heard(later)[1]).toEqual([63, 2050]);
    const back = make(later, { type: 'set tempo', retiming: { tempo: [{ tick: 0, bpm: 120 }], takes: 'recording' } });
    expect(heard(back)[1]).toEqual([63, 4100]);
  });

  it('takes it along when it is copied to another part, and when a layer moves out of it', () => {
    const brought = make(song(), move, {
      ...{ type: 'bring take', part: 'p', take: 't', to: { id: 'q', name: 'Other' }, takeId: 'u', copy: true },
    });
    expect(heard(brought, 1)).toEqual(heard(brought));
    const out = make(song(), move, {
      ...{ type: 'move layer out', part: 'p', take: 't', layer: 'b', to: { id: 'q', name: 'Other', takeId: 'u' } },
    });
    expect(heard(out)).toEqual([
      [60, 0],
      [63, 4080],
    ]);
    expect(heard(out, 1)).toEqual([[65, 7920]]);
  });

  it('is there in a copy of the song, whose layers have other names, as are decisions and selected notes', () => {
    const treatment = { id: 's', from: 0, to: 15_360, grid: '4 straight', strength: 1, ends: 'keep length' } as const;
    const made = make(
      song(),
      move,
      { type: 'treat', part: 'p', treatment: { ...treatment, notes: { a: '1', b: '0' } } },
      { type: 'decide', part: 'p', notes: ['b:0'], line: 7920 },
    );
    let n = 0;
    const copy = copySong(made, [...layers.values()], 'y', () => `copy ${n++}`);
    const own = new Map(copy.layers.map((l) => [l.header.id, l]));
    const { document } = copy;
    const notes = lineOf(document.parts[0]!, takeReader(own, document.clocks), mapsOf(document)).notes;
    expect(notes.map((m) => [m.key, Math.round(m.start)])).toEqual(heard(made));
    expect(Object.keys(document.parts[0]!.decided)).toEqual(['copy 1:0']);
  });

  it('goes with a layer that moves out, and so do its decisions and selected notes', () => {
    const treatment = { id: 's', from: 0, to: 15_360, grid: '4 straight', strength: 1, ends: 'keep length' } as const;
    const made = make(
      song(),
      { type: 'treat', part: 'p', treatment: { ...treatment, notes: { a: '1', b: '0' } } },
      { type: 'decide', part: 'p', notes: ['a:1', 'b:0'], line: 'played' },
      { type: 'move layer out', part: 'p', take: 't', layer: 'b', to: { id: 'q', name: 'Other', takeId: 'u' } },
    );
    expect(made.parts.map((p) => p.decided)).toEqual([{ 'a:1': 'played' }, { 'b:0': 'played' }]);
    expect(made.parts[1]!.treatments.map((t) => t.notes)).toEqual([{ b: '0' }]);
  });

  it('is given back whole, and a take that is not there is said', () => {
    expect(heard(make(song(), move, { type: 'give takes back', part: 'p', takes: ['t'] }))).toEqual(heard(song()));
    expect(() => make(song(), { ...move, takes: [{ take: 'gone', edits: [] }] } as Command)).toThrow(
      'That take is no longer in the song.',
    );
  });
});
