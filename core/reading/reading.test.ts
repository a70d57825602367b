import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { header, layerEvents, ranges } from '../testing/arbitraries';
import type { PassResult } from '../recording/state';
import type { Layer } from '../takes/layer';
import { handedOver } from '../testing/handed';
import { barStates } from './barStates';
import { lineOf, takeReader } from './reading';
import { mapsOf, sectionsOf } from '../document/maps';
import { change, kindOf, type Command } from '../song/changes';
import { patched, stacksOf, type HistoryRow } from '../song/history';
import { receiversOf } from '../song/recorded';
import { UnknownThing } from '../song/draft';
import { newSong, songSchema, type SongDocument } from '../document/document';

const song = newSong('Lamps on the Causeway', 'piano');
const maps = mapsOf(song);
const resultOf = (layer: Layer, notes = 1, over: Partial<PassResult> = {}): PassResult => ({
  passId: layer.header.passId,
  mode: 'new take',
  layers: [{ header: layer.header, closing: layer.closing, notes }],
  ...over,
});
const layerFor = (n: number, over: Partial<Layer['header']> = {}, range = { from: 0, to: 7680 }): Layer => ({
  header: header({ id: `layer ${n}`, partId: 'piano', takeId: `take ${n}`, passId: `pass ${n}`, ...over }),
  events: [
    { at: 0.01, message: { type: 'noteOn', key: 60 + n, velocity: 70 } },
    { at: 1, message: { type: 'noteOff', key: 60 + n, velocity: 64 } },
  ],
  closing: { range, clears: [] },
});
const record = (layer: Layer, notes?: number, over?: Partial<PassResult>): Command => ({
  type: 'record',
  result: resultOf(layer, notes, over),
  at: '2026-01-01T00:00:00.000Z',
});
const layersMap = (...all: Layer[]) => new Map(all.map((l) => [l.header.id, l]));

describe('a song', () => {
  it('made new is valid, and a pass makes its first take, heard at once', () => {
    expect(songSchema.parse(song)).toEqual(song);
    const layer = layerFor(1);
    const { document } = change(song, record(layer));
    expect(document.parts[0]!.takes).toMatchObject([{ id: 'take 1', number: 1, layers: ['layer 1'] }]);
    expect(lineOf(document.parts[0]!, takeReader(layersMap(layer), []), maps).notes.map((n) => n.key)).toEqual([61]);
  });

  it('hears the newest take on its range and the older one beside it', () => {
    const one = layerFor(1, {}, { from: 0, to: 15_360 });
    const two = layerFor(2, {}, { from: 3840, to: 7680 });
    const { document } = change(change(song, record(one)).document, record(two));
    expect(document.parts[0]!.comp.map((p) => [p.from, p.to, p.takeId])).toEqual([
      [0, 3840, 'take 1'],
      [3840, 7680, 'take 2'],
      [7680, 15_360, 'take 1'],
    ]);
  });

  it('makes no take of a pass without a note, or one stopped in the count', () => {
    expect(change(song, record(layerFor(1), 0)).document).toBe(song);
    expect(change(song, record(layerFor(1, {}, { from: 960, to: 960 }))).document).toBe(song);
  });

  it('makes one take of a layer, however often it is recorded', () => {
    const once = change(song, record(layerFor(1))).document;
    expect(change(once, record(layerFor(1))).document).toBe(once);
  });

  it('adds a layer to the take that is heard when the mode says so', () => {
    const { document } = change(
      change(song, record(layerFor(1))).document,
      record(layerFor(2, { takeId: 'take 1' }), 1, { mode: 'merge' }),
    );
    expect(document.parts[0]!.takes.map((t) => t.layers)).toEqual([['layer 1', 'layer 2']]);
  });

  it('lays a merge over every take that is heard in its range, and lets its notes ring over their joins', () => {
    const one = layerFor(1, {}, { from: 0, to: 7680 });
    const two = layerFor(2, {}, { from: 3840, to: 7680 });
    const both = change(change(song, record(one)).document, record(two)).document;
    // From before the join to after it.
    const over: Layer = {
      ...layerFor(3, {}, { from: 960, to: 6720 }),
      events: [
        { at: 1.5, message: { type: 'noteOn', key: 90, velocity: 70 } },
        { at: 2.5, message: { type: 'noteOff', key: 90, velocity: 64 } },
      ],
    };
    const { document } = change(both, record(over, 1, { mode: 'merge' }));
    const [part] = document.parts;
    expect(part!.takes.map((t) => [t.layers.length, t.windows['layer 3']])).toEqual([
      [2, [{ from: 960, to: 3840 }]],
      [2, [{ from: 3840, to: 6720 }]],
    ]);
    const line = lineOf(part!, takeReader(layersMap(one, two, over), []), maps).notes;
    expect(line.filter((n) => n.key === 90).map((n) => [n.start, n.end])).toEqual([[1.5 * 1920, 2.5 * 1920]]);
  });

  it('lets a take grow over bars in which nothing is heard, and starts a new one where there is none', () => {
    const one = layerFor(1, {}, { from: 0, to: 3840 });
    const first = change(song, record(one)).document;
    const grown = change(first, record(layerFor(2, {}, { from: 1920, to: 7680 }), 1, { mode: 'merge' })).document
      .parts[0]!;
    expect([grown.takes.map((t) => [t.from, t.to]), grown.comp]).toEqual([
      [[0, 7680]],
      [{ from: 0, to: 7680, takeId: 'take 1' }],
    ]);
    expect(receiversOf(first.parts[0]!, { from: 7680, to: 9600 })).toEqual([
      { from: 7680, to: 9600, take: null, heard: false },
    ]);
    expect(
      change(first, record(layerFor(2, {}, { from: 7680, to: 9600 }), 1, { mode: 'replace' })).document.parts[0]!.takes,
    ).toHaveLength(2);
  });

  it('mutes a layer, moves one out to a part of its own, and lets another take be heard', () => {
    const one = layerFor(1);
    const two = layerFor(2);
    const merged = change(change(song, record(one)).document, record(two, 1, { mode: 'merge' })).document;
    const keys = (of: SongDocument, i = 0) =>
      lineOf(of.parts[i]!, takeReader(layersMap(one, two), []), maps).notes.map((n) => n.key);
    const muted = change(merged, {
      type: 'mute layer',
      part: 'piano',
      take: 'take 1',
      layer: 'layer 1',
      muted: true,
    }).document;
    expect(keys(muted)).toEqual([62]);
    const out = change(merged, {
      type: 'move layer out',
      part: 'piano',
      take: 'take 1',
      layer: 'layer 2',
      to: { id: 'own', name: 'Own', takeId: 'own take' },
    }).document;
    expect([keys(out), keys(out, 1)]).toEqual([[61], [62]]);
    expect(() =>
      change(out, {
        type: 'move layer out',
        part: 'piano',
        take: 'take 1',
        layer: 'layer 1',
        to: { id: 'x', name: 'X', takeId: 'y' },
      }),
    ).toThrow(UnknownThing);
    const twice = change(change(song, record(one)).document, record(two)).document;
    expect(keys(twice)).toEqual([62]);
    expect(
      keys(change(twice, { type: 'pick take', part: 'piano', take: 'take 1', range: { from: 0, to: 7680 } }).document),
    ).toEqual([61]);
  });

  it('quantizes on the way in by a treatment that can be taken off', () => {
    const layer = layerFor(1, { quantize: { grid: '16 straight', strength: 1, ends: 'keep length' } });
    const { document } = change(song, record(layer));
    const [note] = lineOf(document.parts[0]!, takeReader(layersMap(layer), []), maps).notes;
    expect(note!.start).toBe(0);
    expect(note!.played.start).toBeCloseTo(0.01 * (120 / 60) * 960, 6);
    const off = change(document, {
      type: 'take treatment off',
      part: 'piano',
      range: { from: 0, to: 99_999 },
    }).document;
    expect(lineOf(off.parts[0]!, takeReader(layersMap(layer), []), maps).notes[0]!.start).toBe(note!.played.start);
  });

  it('moves existing takes when their placement is changed', () => {
    const layer = layerFor(1, { latency: { output: 0.01, input: 0 } });
    const { document } = change(change(song, record(layer)).document, {
      type: 'place part',
      part: 'piano',
      policy: 'played',
    });
    expect(lineOf(document.parts[0]!, takeReader(layersMap(layer), []), maps).notes[0]!.start).toBeCloseTo(0, 9);
  });

  it('knows how far each bar has come', () => {
    const layer = layerFor(1);
    const { document } = change(song, record(layer));
    const part = document.parts[0]!;
    expect(barStates(part, layersMap(layer), document).slice(0, 2)).toEqual(['picked', 'empty']);
    expect(barStates({ ...part, comp: [] }, layersMap(layer), document)[0]).toBe('recorded');
    const treated = change(document, {
      type: 'treat',
      part: 'piano',
      treatment: { id: 't', from: 0, to: 3840, grid: '8 straight', strength: 1, ends: 'keep end' },
    }).document;
    expect(barStates(treated.parts[0]!, layersMap(layer), treated)[0]).toBe('tidied');
    const handed = handedOver(treated, layersMap(layer));
    const state = (of: SongDocument) => barStates(of.parts[0]!, layersMap(layer), of)[0];
    expect(state(handed)).toBe('handed over');
    expect(
      state(change(handed, { type: 'take treatment off', part: 'piano', range: { from: 0, to: 3840 } }).document),
    ).toBe('picked');
    // Without latency the other placement changes nothing that sounds.
    expect(state(change(handed, { type: 'place part', part: 'piano', policy: 'played' }).document)).toBe('handed over');
  });

  it('has sections from bar 1, and the rest without a name', () => {
    const formed: SongDocument = {
      ...song,
      sections: [
        { id: 'a', name: 'Intro', bars: 4, pattern: null },
        { id: 'b', name: 'Verse', bars: 8, pattern: null },
      ],
    };
    expect(sectionsOf(formed, maps.meter).map((s) => [s.name, s.firstBar, s.lastBar])).toEqual([
      ['Intro', 1, 4],
      ['Verse', 5, 12],
      ['', 13, 32],
    ]);
  });

  it('refuses a command about what it does not have, and one that would make it invalid', () => {
    expect(() => change(song, { type: 'set part', part: 'horn', to: { muted: true } })).toThrow(UnknownThing);
    expect(() => change(song, { type: 'set part', part: 'piano', to: { gainDb: 99 } })).toThrow();
    expect(() => patched(song, [{ op: 'replace', path: ['bars'], value: -1 }])).toThrow();
  });
});

describe('undo and redo', () => {
  const commands: fc.Arbitrary<Command> = fc.oneof(
    fc
      .tuple(fc.integer({ min: 1, max: 9999 }), ranges(30_000), layerEvents())
      .map(([n, range, events]) => record({ ...layerFor(n, {}, range), events })),
    fc.constantFrom<Command>(
      { type: 'place part', part: 'piano', policy: 'played' },
      { type: 'set part', part: 'piano', to: { muted: true } },
      { type: 'set brief', brief: { countOffBars: 3 } },
    ),
    ranges(30_000).map((range): Command => ({
      type: 'treat',
      part: 'piano',
      treatment: { id: 't', ...range, grid: '16 straight', strength: 0.5, ends: 'keep end' },
    })),
    ranges(30_000).map((range): Command => ({ type: 'take treatment off', part: 'piano', range })),
  );

  it('bring back the same song, and the same again', () => {
    fc.assert(
      fc.property(fc.array(commands, { maxLength: 8 }), commands, (before, command) => {
        const start = before.reduce((s, c) => change(s, c).document, song);
        const { document, patches, inverse } = change(start, command);
        expect(patched(document, inverse)).toEqual(start);
        expect(patched(start, patches)).toEqual(document);
      }),
    );
  });

  it('step over settings', () => {
    const first = change(song, record(layerFor(1)));
    const set = change(first.document, { type: 'set part', part: 'piano', to: { muted: true } });
    const undone = patched(set.document, first.inverse);
    expect(undone.parts[0]).toEqual({ ...song.parts[0], muted: true });
    expect([record(layerFor(1)), { type: 'set click', click: { when: 'never' } } as Command].map(kindOf)).toEqual([
      'do',
      'set',
    ]);
  });

  it('are known from the stored history', () => {
    const row = (revision: number, kind: HistoryRow['kind']): HistoryRow => ({
      id: null,
      revision,
      kind,
      name: 'record',
      patches: [],
      inverse: [],
    });
    const of = (kinds: HistoryRow['kind'][]) => {
      const { done, undone } = stacksOf(kinds.map((k, i) => row(i + 1, k)));
      return [done.map((r) => r.revision), undone.map((r) => r.revision)];
    };
    expect(of(['do', 'do', 'set', 'undo'])).toEqual([[1], [2]]);
    expect(of(['do', 'do', 'undo', 'redo'])).toEqual([[1, 2], []]);
    expect(of(['do', 'do', 'undo', 'do', 'undo', 'undo', 'undo'])).toEqual([[], [4, 1]]);
  });
});
