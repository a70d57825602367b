import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { mapsOf } from '../document/maps';
import { newSong, type SongDocument } from '../document/document';
import { newTake } from '../document/take';
import { transpositionOf, type TransposedFrom } from '../document/transposition';
import { midiSongOf } from '../handover/midi';
import { keyBy } from '../performance/transposition';
import { layerHeaders } from '../recording/plan';
import { editedWorlds, gestures, madeOf } from '../testing/edits';
import { layer, off, on, HEARD } from '../testing/layers';
import { transpositions } from '../testing/arbitraries';
import type { Layer } from '../takes/layer';
import { change, type Command } from '../song/changes';
import { layerOfTrack } from '../import/takeFromMidi';
import { midiTracks } from '../import/fromMidi';
import { lineOf, songReader, type Layers } from './reading';

const WORLDS = Number(process.env['WORLDS'] ?? 60);
const END = 16 * 960;
const played = layer('a', 0, 16, [on(0), off(1), on(4, 62), off(5, 62), on(8, 64), off(12, 64)]);
const song = (over: Partial<SongDocument> = {}): SongDocument => {
  const made = newSong('x', 'p');
  const take = newTake({ id: 't', number: 1, layers: ['a'], from: 0, to: END, placement: HEARD, at: '' });
  const part = { ...made.parts[0]!, takes: [take], comp: [{ from: 0, to: END, takeId: 't' }] };
  return { ...made, bars: 4, parts: [part], ...over };
};
const keysOf = (document: SongDocument, own: Layer = played): number[] =>
  lineOf(document.parts[0]!, songReader(document, new Map([['a', own]])).read, mapsOf(document)).notes.map(
    (n) => n.key,
  );
const heardIn = (transposition: readonly TransposedFrom[]): Layer => ({
  ...played,
  header: { ...played.header, transposition: transpositionOf(transposition, mapsOf(song()).meter) },
});
const set = (document: SongDocument, transposition: readonly TransposedFrom[]): SongDocument =>
  change(document, { type: 'set transposition', transposition } as Command).document;

describe('a song in another key', () => {
  it('sounds so, in the bars that it is set for, and as before when it is taken off again', () => {
    expect(keysOf(song({ transposition: [{ bar: 1, semitones: 2 }] }))).toEqual([62, 64, 66]);
    expect(
      keysOf(
        song({
          transposition: [
            { bar: 2, semitones: -3 },
            { bar: 3, semitones: 0 },
          ],
        }),
      ),
    ).toEqual([60, 59, 64]);
    expect(keysOf(set(set(song(), [{ bar: 1, semitones: 5 }]), []))).toEqual([60, 62, 64]);
  });

  it('has a take that was played in another key follow, and one that was played in it as it was played', () => {
    const up = [{ bar: 1, semitones: 2 }];
    expect(keysOf(song({ transposition: up }), heardIn(up))).toEqual([60, 62, 64]);
    expect(keysOf(song(), heardIn(up))).toEqual([58, 60, 62]);
    expect(keysOf(song({ transposition: [{ bar: 3, semitones: 5 }] }), heardIn(up))).toEqual([58, 60, 67]);
  });

  it('is kept with what is recorded in it', () => {
    const document = song({ transposition: [{ bar: 3, semitones: 4 }] });
    const maps = mapsOf(document);
    const facts = {
      ...{ song: document, maps, start: 0, from: 'x', latency: { output: 0, input: 0 }, newId: () => 'id', at: '' },
      listeners: [{ part: document.parts[0]!, route: { keyboard: null, low: 0, high: 127 } }],
    };
    const [header] = layerHeaders(facts, 'pass', { from: 0, to: END });
    expect(header!.transposition).toEqual([{ tick: 2 * 3840, semitones: 4 }]);
    const [plain] = layerHeaders({ ...facts, song: song() }, 'pass', { from: 0, to: END });
    expect(plain).not.toHaveProperty('transposition');
  });

  it('stays with its bars when the tempo changes and takes stay with the recording', () => {
    const document = song({ transposition: [{ bar: 3, semitones: 4 }] });
    const own = heardIn([{ bar: 3, semitones: 4 }]);
    const slower = change(document, {
      type: 'set tempo',
      retiming: { tempo: [{ tick: 0, bpm: 50 }], takes: 'recording' },
    } as Command).document;
    // At half the speed the third note lies in bar 2: the bars change key where they did, and it was played 4 lower.
    expect(keysOf(document, own)).toEqual([60, 62, 64]);
    expect(keysOf(slower, own)).toEqual([60, 62, 60]);
  });

  it('is handed over with its keys, and in them', () => {
    const document = song({
      key: { fifths: 0, minor: false },
      transposition: [
        { bar: 2, semitones: 2 },
        { bar: 4, semitones: 3 },
      ],
    });
    const { key, keys, tracks } = midiSongOf(
      document,
      document.parts,
      songReader(document, new Map([['a', played]])).read,
    );
    expect(key).toEqual({ fifths: 0, minor: false });
    expect(keys).toEqual([
      { tick: 3840, key: { fifths: 2, minor: false } },
      { tick: 3 * 3840, key: { fifths: -3, minor: false } },
    ]);
    const struck = tracks[0]!.events.flatMap(({ message }) => (message.type === 'noteOn' ? [message.key] : []));
    expect(struck).toEqual([60, 64, 66]);
  });

  it('takes a file’s notes as they are, as what was handed over comes back, and they follow from there', () => {
    const file = {
      ...{ title: '', tempo: [{ tick: 0, bpm: 100 }], meter: [{ bar: 1, beats: 4, unit: 4 }], markers: [], end: END },
      tracks: [
        { name: 'x', channel: 0, events: [on(0), off(1)].map(({ at, message }) => ({ at: at * 960, message })) },
      ],
    };
    const document = song({ transposition: [{ bar: 1, semitones: 2 }] });
    const offered = { name: 'x.mid', file, tracks: midiTracks(file), likely: null };
    const made = layerOfTrack(offered, 0, document.parts[0]!, document, () => 'a', '');
    expect(keysOf(document, made)).toEqual([60]);
    expect(keysOf(song(), made)).toEqual([58]);
  });
});

describe('transposed songs', () => {
  const notesOf = (document: SongDocument, layers: Layers) =>
    lineOf(document.parts[0]!, songReader(document, layers).read, mapsOf(document)).notes;

  it('keep what is changed by hand: taken off and set again they sound the same', () => {
    fc.assert(
      fc.property(editedWorlds, fc.array(gestures, { maxLength: 3 }), transpositions, (world, hands, other) => {
        const changed = hands.reduce(
          (now, hand) => ({
            ...now,
            song: madeOf(now, hand).takes.reduce(
              (document, take) =>
                take.edits.length === 0
                  ? document
                  : change(document, { type: 'edit takes', part: 'p', what: 'x', takes: [take] } as Command).document,
              now.song,
            ),
          }),
          world,
        );
        const before = notesOf(changed.song, changed.layers);
        const there = set(changed.song, other);
        expect(notesOf(set(there, changed.song.transposition), changed.layers)).toEqual(before);
      }),
      { numRuns: WORLDS },
    );
  });

  it('have every note of one key above another by as much as they are, wherever nothing meets', () => {
    fc.assert(
      fc.property(editedWorlds, fc.integer({ min: -12, max: 12 }), (world, semitones) => {
        const plain = { ...world.song, transposition: [] };
        const parts = plain.parts.map((p) => ({ ...p, treatments: [] }));
        const own = notesOf({ ...plain, parts }, world.layers);
        const up = notesOf({ ...plain, parts, transposition: [{ bar: 1, semitones }] }, world.layers);
        expect(up.map(({ id, start, end, key }) => [id, Math.round(start), Math.round(end), key])).toEqual(
          own.map(({ id, start, end, key }) => [id, Math.round(start), Math.round(end), keyBy(key, semitones)]),
        );
      }),
      { numRuns: WORLDS },
    );
  });
});
