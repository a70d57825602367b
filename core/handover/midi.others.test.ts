import fc from 'fast-check';
import MIDIFile from 'midifile';
import { BasicMIDI } from 'spessasynth_core';
import { describe, expect, it } from 'vitest';
import { readMidiFile, writeMidiFile } from '../files/smf';
import { mapsOf } from '../document/maps';
import type { SongDocument } from '../document/document';
import { lineOf, takeReader } from '../reading/reading';
import { layerEvents, meterChanges, tempoChanges } from '../testing/arbitraries';
import { played, songOf } from '../testing/delivered';
import { barStart } from '../time/meter';
import { secondsAt } from '../time/tempo';
import { TICKS_PER_QUARTER } from '../time/units';
import { RESOLUTIONS } from './delivery';
import { midiSongOf, notesInSong } from './midi';

const bufferOf = (bytes: Uint8Array): ArrayBuffer => Uint8Array.from(bytes).buffer;

interface Struck {
  readonly track: number;
  readonly key: number;
  readonly velocity: number;
  readonly tick: number;
}
/** Reading by one reader, in ticks of the file. */
function byFirst(bytes: Uint8Array): { struck: Struck[]; ends: number[]; seconds: number[]; format: number } {
  const file = new MIDIFile(bufferOf(bytes));
  const struck: Struck[] = [];
  const ends: number[] = [];
  for (let track = 0; track < file.header.getTracksCount(); track += 1) {
    let tick = 0;
    for (const event of file.getTrackEvents(track)) {
      tick += event.delta;
      if (event.type === 8 && event.subtype === 9)
        struck.push({ track, key: event.param1, velocity: event.param2, tick });
    }
    ends.push(tick);
  }
  const seconds = file
    .getMidiEvents()
    .filter((e) => e.subtype === 9)
    .map((e) => e.playTime! / 1000);
  return { struck, ends, seconds, format: file.header.getFormat() };
}
function bySecond(bytes: Uint8Array) {
  const file = BasicMIDI.fromArrayBuffer(bufferOf(bytes));
  const struck = file.tracks.flatMap((t, track) =>
    t.events
      .filter((e) => (e.statusByte & 0xf0) === 0x90 && e.data[1]! > 0)
      .map((e): Struck => ({ track, key: e.data[0]!, velocity: e.data[1]!, tick: e.ticks })),
  );
  const meta = (kind: number) =>
    file.tracks.flatMap((t) =>
      t.events.filter((e) => e.statusByte === kind).map((e) => ({ tick: e.ticks, data: [...e.data] })),
    );
  const text = (data: number[]) => new TextDecoder().decode(Uint8Array.from(data));
  return {
    struck,
    resolution: file.timeDivision,
    names: meta(0x03).map((m) => text(m.data)),
    markers: meta(0x06).map((m) => [m.tick, text(m.data)]),
    meters: meta(0x58).map((m) => [m.tick, m.data[0], 2 ** m.data[1]!]),
    keys: meta(0x59).map((m) => [(m.data[0]! << 24) >> 24, m.data[1]]),
    secondsOf: (tick: number) => file.midiTicksToSeconds(tick),
  };
}

const songs = fc
  .record({
    one: layerEvents(-0.5, 15),
    two: layerEvents(0, 15),
    tempo: tempoChanges(4),
    meter: meterChanges,
    bars: fc.integer({ min: 1, max: 9 }),
    key: fc.option(fc.record({ fifths: fc.integer({ min: -7, max: 7 }), minor: fc.boolean() })),
  })
  .map(({ one, two, tempo, ...over }) => {
    const parts = [played('Piano', one), played('Órgano', two)];
    const sections = [
      { id: 'a', name: 'Verse', bars: 1, pattern: null },
      { id: 'b', name: 'Refrän', bars: over.bars - 1, pattern: null },
    ].filter((s) => s.bars > 0);
    const sorted = [...tempo].sort((a, b) => a.tick - b.tick).map((t, i) => (i === 0 ? { ...t, tick: 0 } : t));
    const song = songOf(
      parts.map((p) => p.part),
      { ...over, tempo: sorted, sections },
    );
    return { song, read: takeReader(new Map(parts.flatMap((p) => p.layers)), []) };
  });

const byTick = (a: Struck, b: Struck) =>
  a.track - b.track || a.tick - b.tick || a.key - b.key || a.velocity - b.velocity;
const linesOf = (song: SongDocument, read: ReturnType<typeof takeReader>) => {
  const maps = mapsOf(song);
  return song.parts.map((p) => notesInSong(lineOf(p, read, maps).notes, maps.end));
};

describe('MIDI files that are handed over, read by two other readers', () => {
  it('say the same notes, tempo, meter, key, markers and length, whatever the resolution', () => {
    fc.assert(
      fc.property(songs, fc.constantFrom(...RESOLUTIONS), ({ song, read }, resolution) => {
        const maps = mapsOf(song);
        const bytes = writeMidiFile(midiSongOf(song, song.parts, read, { resolution }), { resolution });
        const scale = resolution / TICKS_PER_QUARTER;
        const own = linesOf(song, read).flatMap((notes, i) =>
          notes.map((n): Struck => ({
            track: i + 1,
            key: n.key,
            velocity: n.velocity,
            tick: Math.round(n.start * scale),
          })),
        );
        const inside = own.filter((n) => n.tick < Math.round(maps.end * scale)).sort(byTick);
        const [first, second] = [byFirst(bytes), bySecond(bytes)];
        expect([...first.struck].sort(byTick)).toEqual(inside);
        expect([...second.struck].sort(byTick)).toEqual(inside);
        expect(first.format).toBe(1);
        expect(second.resolution).toBe(resolution);
        expect(new Set(first.ends)).toEqual(new Set([Math.round(maps.end * scale)]));
        expect(second.names.slice(1)).toEqual(['Piano', 'Órgano']);
        expect(second.markers).toEqual([
          [0, 'Verse'],
          ...(song.bars > 1 ? [[barStart(maps.meter, 2) * scale, 'Refrän']] : []),
        ]);
        expect(second.meters).toEqual(
          song.meter
            .filter((m) => m.bar <= song.bars)
            .map((m) => [barStart(maps.meter, m.bar) * scale, m.beats, m.unit]),
        );
        expect(second.keys).toEqual(song.key ? [[song.key.fifths, Number(song.key.minor)]] : []);
        // Bars lie where they do in the song, by the other reader's own tempo.
        for (let bar = 1; bar <= song.bars; bar += 1) {
          const tick = barStart(maps.meter, bar);
          expect(Math.abs(second.secondsOf(tick * scale) - secondsAt(maps.tempo, tick))).toBeLessThan(0.001);
        }
      }),
    );
  });

  it('of one part are one track where that is asked for, with the same notes at the same times', () => {
    fc.assert(
      fc.property(songs, fc.constantFrom(96, 480, 960), ({ song, read }, resolution) => {
        const made = midiSongOf(song, song.parts.slice(0, 1), read, { resolution });
        const [zero, one] = ([0, 1] as const).map((format) => writeMidiFile(made, { format, resolution }));
        const [a, b] = [byFirst(zero!), byFirst(one!)];
        expect([a.format, a.ends.length]).toEqual([0, 1]);
        expect(a.struck.map((s) => [s.tick, s.key])).toEqual(b.struck.map((s) => [s.tick, s.key]));
        a.seconds.forEach((s, i) => expect(Math.abs(s - b.seconds[i]!)).toBeLessThan(1e-6));
        expect(bySecond(zero!).markers).toEqual(bySecond(one!).markers);
        expect(readMidiFile(zero!).tracks.map((t) => t.name)).toEqual(readMidiFile(one!).tracks.map((t) => t.name));
      }),
    );
    const two = midiSongOf(songOf([played('a', []).part, played('b', []).part]), [], takeReader(new Map(), []));
    const track = { name: 'x', channel: 0, events: [] };
    expect(() => writeMidiFile({ ...two, tracks: [track, track] }, { format: 0 })).toThrow(RangeError);
  });
});
