import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { header } from '../testing/arbitraries';
import type { Layer } from '../takes/layer';
import { layTreatment, type Treatment } from '../timing/treatment';
import { treatedWords } from '../timing/words';
import { meterMap } from '../time/meter';
import { change, type Command } from './changes';
import { patched } from './history';
import { copySong } from './copy';
import { newSong, type SongDocument } from '../document/document';
import type { Backing } from '../document/backing';
import { barStates } from './barStates';
import { readPart, readTakeOf, takeReader } from './reading';

const plain: SongDocument = { ...newSong('x', 'piano'), bars: 8 };
const range = { from: 0, to: 15_360 };
const layer = (id: string, over: Partial<Layer['header']> = {}): Layer => ({
  header: header({ id, partId: 'piano', takeId: `take ${id}`, passId: `pass ${id}`, planned: range, ...over }),
  closing: { range, clears: [] },
  events: [
    { at: 0.5, message: { type: 'noteOn', key: 60, velocity: 80 } },
    { at: 0.9, message: { type: 'noteOff', key: 60, velocity: 64 } },
  ],
});
const record = (l: Layer, mode: 'new take' | 'merge' = 'new take'): Command => ({
  type: 'record',
  at: '',
  result: { passId: l.header.passId, mode, layers: [{ header: l.header, closing: l.closing, notes: 1 }] },
});
const does = (song: SongDocument, ...commands: Command[]): SongDocument =>
  commands.reduce((doc, command) => change(doc, command).document, song);
const fourFour = meterMap([{ bar: 1, beats: 4, unit: 4 }]);
const treatment = (over: Partial<Treatment> = {}): Treatment => ({
  id: 'layer-of-a-pass-treatment',
  ...range,
  grid: '16 straight',
  strength: 1,
  ends: 'keep length',
  ...over,
});

describe('a treatment', () => {
  it('is split any number of times and stays valid, each piece with an id of its own', () => {
    let song = does(plain, { type: 'treat', part: 'piano', treatment: treatment() });
    for (let punch = 0; punch < 60; punch += 1)
      song = does(song, {
        type: 'take treatment off',
        part: 'piano',
        range: { from: 100 + punch * 200, to: 150 + punch * 200 },
      });
    const ids = song.parts[0]!.treatments.map((t) => t.id);
    expect(ids).toHaveLength(61);
    expect(new Set(ids).size).toBe(61);
    expect(Math.max(...ids.map((id) => id.length))).toBeLessThan(80);
  });

  it('is told in words wherever it is, over some of the stretch or for some passes', () => {
    const all = [
      treatment({ to: 3840 }),
      treatment({ id: 'b', from: 7680, to: 11_520, grid: '8 straight', strength: 0.5, layers: ['x'] }),
    ];
    expect(treatedWords(all, range, fourFour)).toBe(
      'bar 1 100% to sixteenths, bar 3 what one pass brought 50% to eighths',
    );
    expect(treatedWords(all, { from: 3840, to: 7680 }, fourFour)).toBe('');
    const laid = layTreatment(all, treatment({ id: 'c' }));
    expect(treatedWords(laid, range, fourFour)).toBe('bars 1–4 100% to sixteenths');
  });
});

describe('what was handed over', () => {
  const handed = (song: SongDocument, all: readonly Layer[]) =>
    barStates(song.parts[0]!, new Map(all.map((l) => [l.header.id, l])), song)[0];
  const [a, b, c] = [layer('a'), layer('b'), layer('c')];
  const given = does(plain, record(a), record({ ...b, header: { ...b.header, takeId: 'take a' } }, 'merge'), {
    type: 'hand over',
    parts: ['piano'],
    at: '',
  });

  it('is no longer that when a merge is undone and another is made in its place', () => {
    expect(handed(given, [a, b, c])).toBe('handed over');
    const undone = change(does(plain, record(a)), record(b, 'merge'));
    const back = {
      ...patched(undone.document, undone.inverse),
      parts: [{ ...patched(undone.document, undone.inverse).parts[0]!, handed: given.parts[0]!.handed }],
    };
    expect(handed(does(back, record(c, 'merge')), [a, b, c])).toBe('inked');
  });

  it('is still that in a copy of the song, with a muted layer', () => {
    const muted = does(
      given,
      { type: 'mute layer', part: 'piano', take: 'take a', layer: 'b', muted: true },
      { type: 'hand over', parts: ['piano'], at: '' },
    );
    expect(handed(muted, [a, b])).toBe('handed over');
    let n = 0;
    const copy = copySong(muted, [a, b], 'y', () => `copy ${n++}`);
    expect(handed(copy.document, copy.layers)).toBe('handed over');
  });
});

describe('a backing', () => {
  const backing = (id: string): Backing => ({
    id,
    name: id,
    audio: 'f'.repeat(64),
    midi: null,
    gainDb: -6,
    pan: 0,
    muted: false,
    solo: false,
    offset: 0,
    length: 10,
  });

  it('comes back by undo alone: the levels that were set of the others meanwhile stay', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 1, max: 6 }),
        fc.nat(5),
        fc.array(fc.record({ which: fc.nat(5), gainDb: fc.integer({ min: -40, max: 6 }), muted: fc.boolean() }), {
          maxLength: 6,
        }),
        (count, gone, sets) => {
          const song = { ...plain, backings: Array.from({ length: count }, (_, i) => backing(`b${i}`)) };
          const id = `b${gone % count}`;
          const out = change(song, { type: 'take backing out', backing: id });
          expect(out.document.backings.map((b) => b.id)).toEqual(
            song.backings.map((b) => b.id).filter((b) => b !== id),
          );
          const left = out.document.backings;
          const set = sets
            .filter(() => left.length > 0)
            .reduce(
              (doc, { which, gainDb, muted }) =>
                does(doc, { type: 'set backing', backing: left[which % left.length]!.id, to: { gainDb, muted } }),
              out.document,
            );
          const back = patched(set, out.inverse);
          expect(back.backings.map((b) => b.id)).toEqual(song.backings.map((b) => b.id));
          for (const b of set.backings) expect(back.backings.find((x) => x.id === b.id)).toEqual(b);
          expect(patched(back, out.patches)).toEqual(set);
        },
      ),
    );
  });
});

describe('a pick', () => {
  it('of a take that is not there is refused', () => {
    expect(() => change(plain, { type: 'pick take', part: 'piano', take: 'none', range })).toThrow(
      'no longer in the song',
    );
  });
});

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
