import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { header } from '../testing/arbitraries';
import type { Layer } from '../takes/layer';
import { secondsAt, tempoMap, type TempoChange } from '../time/tempo';
import { change, type Command } from './changes';
import { patched } from './history';
import { newSong, type SongDocument } from '../document/document';
import { lineOf, readTakeOf, takeReader } from '../reading/reading';
import { mapsOf } from '../document/maps';
import { real } from '../testing/realNumbers';
import { newBacking } from '../document/backing';

const layer = (id: string, takeId: string, tempo: readonly TempoChange[], from = 0): Layer => ({
  header: header({ id, partId: 'piano', takeId, passId: `pass ${id}`, tempo }),
  events: [0.2, 0.9, 1.7, 2.4].flatMap((at, i) => [
    { at, message: { type: 'noteOn' as const, key: 60 + i, velocity: 80 } },
    { at: at + 0.3, message: { type: 'noteOff' as const, key: 60 + i, velocity: 64 } },
  ]),
  closing: { range: { from, to: 30_720 }, clears: [] },
});
const record = (l: Layer, mode: 'new take' | 'merge' = 'new take'): Command => ({
  type: 'record',
  result: { passId: l.header.passId, mode, layers: [{ header: l.header, closing: l.closing, notes: 4 }] },
  at: '2026-01-01T00:00:00.000Z',
});
const retimed = (song: SongDocument, tempo: readonly TempoChange[], takes: 'bars' | 'recording', shift = 0) =>
  change(song, { type: 'set tempo', retiming: { tempo, takes, shift } });

const bpm = real(40, 220);
const tempos = fc
  .array(fc.record({ tick: fc.nat(20_000), bpm, ramp: fc.constantFrom('jump' as const, 'linear' as const) }), {
    minLength: 1,
    maxLength: 5,
  })
  .map((all) => [{ tick: 0, bpm: 100 }, ...all.sort((a, b) => a.tick - b.tick)]);

const one = layer('one', 'take', [{ tick: 0, bpm: 100 }]);
const base = change(newSong('Lamps', 'piano'), record(one)).document;
const layers = new Map([[one.header.id, one]]);
const starts = (song: SongDocument, all = layers) =>
  readTakeOf(song.parts[0]!.takes[0]!, all, song.clocks).notes.map((n) => n.start);
const seconds = (song: SongDocument, all = layers) =>
  starts(song, all).map((tick) => secondsAt(tempoMap(song.tempo), tick));

describe('a new tempo under takes', () => {
  it('leaves them on their bars, bit for bit', () => {
    fc.assert(
      fc.property(tempos, (tempo) => {
        const after = retimed(base, tempo, 'bars').document;
        expect(starts(after)).toEqual(starts(base));
        expect(after.parts).toEqual(base.parts);
      }),
    );
  });

  it('leaves them with the recording, to the microsecond, through any number of changes', () => {
    fc.assert(
      fc.property(fc.array(tempos, { minLength: 1, maxLength: 4 }), real(-1, 1), (all, shift) => {
        const after = all.reduce((song, tempo) => retimed(song, tempo, 'recording', shift).document, base);
        const expected = seconds(base).map((s) => s + shift * all.length);
        seconds(after).forEach((s, i) => expect(s).toBeCloseTo(expected[i]!, 6));
        // What is heard there moves with them.
        const read = takeReader(layers, after.clocks);
        expect(lineOf(after.parts[0]!, read, mapsOf(after)).notes).toHaveLength(4);
        expect(mapsOf(after).end).toBeGreaterThanOrEqual(after.parts[0]!.takes[0]!.to - 1e-6);
      }),
    );
  });

  it('is undone exactly, either way', () => {
    fc.assert(
      fc.property(tempos, fc.constantFrom('bars' as const, 'recording' as const), (tempo, takes) => {
        const { document, patches, inverse } = retimed(base, tempo, takes, 0.25);
        expect(patched(document, inverse)).toEqual(base);
        expect(patched(base, patches)).toEqual(document);
      }),
    );
  });

  it('moves only the layers that were there: what is merged later is in the new tempo already', () => {
    const fast = [{ tick: 0, bpm: 200 }];
    const after = retimed(base, fast, 'recording').document;
    const two = layer('two', 'take', fast);
    const both = new Map([...layers, [two.header.id, two]]);
    const merged = change(after, record(two, 'merge')).document;
    expect(seconds(merged, both)).toHaveLength(8);
    expect(seconds(merged, both).filter((s) => Math.abs(s - 0.9) < 1e-9)).toHaveLength(2);
  });

  it('moves audio backings with bar 1, and never MIDI, which is on the bars', () => {
    const backing = newBacking({ id: 'b', name: 'Band', audio: 'a'.repeat(64), offset: 1, length: 60 });
    const song = {
      ...base,
      backings: [backing, { ...backing, id: 'm', midi: { track: 0, program: 0, drums: false } }],
    };
    expect(retimed(song, song.tempo, 'bars', -0.5).document.backings.map((b) => b.offset)).toEqual([0.5, 1]);
  });
});
