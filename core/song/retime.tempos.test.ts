import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { change, type Command } from './changes';
import { patched } from './history';
import { readPart, readTakeOf, takeReader } from '../reading/reading';
import { does, layer, plain, record } from '../testing/oneNote';

describe('former tempos', () => {
  const tempo = (bpm: number): Command => ({
    type: 'set tempo',
    retiming: { tempo: [{ tick: 0, bpm }], takes: 'recording' },
  });

  it('are kept as far as takes refer to them: any number of changes is one', () => {
    const a = layer('a');
    const song = Array.from({ length: 700 }, (_, i) => 60 + (i % 90)).reduce(
      (doc, bpm) => does(doc, tempo(bpm)),
      does(plain, record(a)),
    );
    expect(song.clocks.length).toBeLessThanOrEqual(2);
    expect(song.parts[0]!.takes[0]!.warps).toHaveLength(1);
    // Struck on the second beat of a song that ran at 100.
    const [note] = readTakeOf(song.parts[0]!.takes[0]!, new Map([['a', a]]), song.clocks).notes;
    expect(note!.start).toBeCloseTo(((0.6 * song.tempo[0]!.bpm) / 60) * 960, 5);
  });

  it('that come back to where they were leave nothing, and undo leads through each of them', () => {
    const song = does(plain, record(layer('a')));
    const there = does(song, tempo(90));
    expect(does(there, { type: 'set tempo', retiming: { tempo: song.tempo, takes: 'recording' } })).toMatchObject({
      clocks: [],
      parts: [{ takes: [{ warps: [] }] }],
    });
    fc.assert(
      fc.property(
        fc.array(fc.integer({ min: 50, max: 200 }), { minLength: 1, maxLength: 8 }),
        fc.nat(7),
        (all, recordAt) => {
          const changes: ReturnType<typeof change>[] = [];
          let doc = song;
          all.forEach((bpm, i) => {
            for (const command of [
              tempo(bpm),
              ...(i === recordAt ? [record(layer('late', { takeId: 'take a' }), 'merge')] : []),
            ]) {
              changes.push(change(doc, command));
              doc = changes.at(-1)!.document;
            }
          });
          expect([...changes].reverse().reduce((d, c) => patched(d, c.inverse), doc)).toEqual(song);
          for (const { warps } of doc.parts[0]!.takes)
            for (const w of warps) expect(Math.max(w.from, w.to)).toBeLessThan(doc.clocks.length);
        },
      ),
    );
  });

  it('go along with a layer that is moved out of its take: it sounds where it sounded', () => {
    const a = layer('a');
    const b = layer('b', { takeId: 'take a' });
    const layers = new Map([
      ['a', a],
      ['b', b],
    ]);
    // A join within the merge gives each take its window of it.
    const two = does(
      plain,
      record(a),
      {
        type: 'record',
        at: '',
        result: {
          passId: 'c',
          mode: 'new take',
          layers: [{ header: layer('c').header, closing: { range: { from: 7680, to: 15_360 }, clears: [] }, notes: 1 }],
        },
      },
      record(b, 'merge'),
      tempo(75),
    );
    const [piano] = two.parts;
    const before = readPart(piano!, takeReader(layers, two.clocks)).notes.filter((n) => n.id.startsWith('b'));
    const out = does(two, {
      type: 'move layer out',
      part: 'piano',
      take: 'take a',
      layer: 'b',
      to: { id: 'own', name: 'Own', takeId: 'own take' },
    });
    const after = readPart(out.parts.at(-1)!, takeReader(layers, out.clocks)).notes;
    expect(before).toHaveLength(1);
    expect(after.map((n) => [n.id, n.start, n.end])).toEqual(before.map((n) => [n.id, n.start, n.end]));
  });
});
