import fc from 'fast-check';
import { BasicMIDI } from 'spessasynth_core';
import { describe, expect, it } from 'vitest';
import { notesLeftOut, withoutRamps } from '../handover/midi';
import { notes as someNotes } from '../testing/arbitraries';
import { eventsFromReading, type Note, type PlacedEvent } from '../performance/notes';
import { secondsAt, tempoMap } from '../time/tempo';
import { meterMap } from '../time/meter';
import { readMidiFile, writeMidiFile, type MidiSong } from './smf';
import { real } from '../testing/realNumbers';

const plain: MidiSong = {
  title: 'Night Ferry',
  tempo: [{ tick: 0, bpm: 96 }],
  meter: [{ bar: 1, beats: 4, unit: 4 }],
  markers: [],
  tracks: [],
  end: 15_360,
};

const track = (events: readonly PlacedEvent[], name = 'Piano') => ({ name, channel: 0, events });

const on = (at: number, key = 60): PlacedEvent => ({ at, message: { type: 'noteOn', key, velocity: 80 } });

const off = (at: number, key = 60): PlacedEvent => ({ at, message: { type: 'noteOff', key, velocity: 64 } });

const pedal = (at: number, value: number) => ({ at, message: { type: 'control' as const, controller: 64, value } });

const note = (start: number, end: number, key = 60, id = `n${start}`): Note => ({
  id,
  key,
  velocity: 80,
  release: 64,
  start,
  end,
});

/** The second reader: the one that the sound library has. */
const other = (bytes: Uint8Array) => BasicMIDI.fromArrayBuffer(Uint8Array.from(bytes).buffer);

describe('text in a MIDI file', () => {
  it('is written as UTF-8, and read as that, or as Latin-1 where it is not', () => {
    for (const title of ['Für später', '潮の灯', 'Łódź', 'plain', '“Marsh Light” №2']) {
      const bytes = writeMidiFile({
        ...plain,
        title,
        markers: [{ tick: 0, text: title }],
        tracks: [track([on(0), off(9)], title)],
      });
      expect(readMidiFile(bytes)).toMatchObject({ title, markers: [{ text: title }], tracks: [{ name: title }] });
    }
    const bytes = writeMidiFile({ ...plain, title: 'FXr' });
    bytes[bytes.findIndex((b, i) => b === 0x46 && bytes[i + 1] === 0x58) + 1] = 0xfc;
    expect(readMidiFile(bytes).title).toBe('Für');
  });
});

describe('a file', () => {
  const bytes = writeMidiFile({ ...plain, tracks: [track([on(0), off(960)])] });
  const join = (...parts: (readonly number[] | Uint8Array)[]) => Uint8Array.from(parts.flatMap((p) => [...p]));
  const foreign = [...'XFIH'].map((c) => c.charCodeAt(0)).concat([0, 0, 0, 3, 1, 2, 3]);

  it('with a foreign chunk before its tracks, or padding behind them, or in a RIFF wrapper, is read as without', () => {
    const wanted = readMidiFile(bytes);
    expect(readMidiFile(join(bytes.subarray(0, 14), foreign, bytes.subarray(14)))).toEqual(wanted);
    for (const padding of [[0], [0, 0, 0], Array.from({ length: 40 }, () => 0), [1, 2, 3, 4, 255, 255, 255, 255, 9]])
      expect(readMidiFile(join(bytes, padding))).toEqual(wanted);
    const size = (n: number) => [n & 255, (n >> 8) & 255, (n >> 16) & 255, n >> 24];
    const text = (t: string) => [...t].map((c) => c.charCodeAt(0));
    expect(
      readMidiFile(join(text('RIFF'), size(bytes.length + 12), text('RMID'), text('data'), size(bytes.length), bytes)),
    ).toEqual(wanted);
    expect(() => readMidiFile(bytes.subarray(0, bytes.length - 4))).toThrow('cut short');
  });

  it('has tracks of one length, whatever lies at its end or behind it', () => {
    const late: MidiSong = {
      ...plain,
      tempo: [
        { tick: 0, bpm: 96 },
        { tick: 15_360, bpm: 50 },
        { tick: 20_000, bpm: 60 },
      ],
      meter: [
        { bar: 1, beats: 4, unit: 4 },
        { bar: 5, beats: 3, unit: 4 },
        { bar: 9, beats: 4, unit: 4 },
      ],
      markers: [{ tick: 15_360, text: 'End' }],
      tracks: [
        track([on(0), on(15_000, 62), pedal(15_360, 0), on(15_360, 64), off(16_000), off(16_100, 62), off(17_000, 64)]),
      ],
    };
    const read = readMidiFile(writeMidiFile(late));
    expect(read.end).toBe(15_360);
    expect(read.tempo).toHaveLength(1);
    expect(read.tracks[0]!.events.map((e) => [e.at, e.message.type])).toEqual([
      [0, 'noteOn'],
      [15_000, 'noteOn'],
      [15_360, 'control'],
      [15_360, 'noteOff'],
      [15_360, 'noteOff'],
    ]);
    expect(
      notesLeftOut(
        { notes: [note(-100, -10), note(-10, 50), note(15_359, 16_000), note(15_360, 16_000)], controls: [] },
        15_360,
      ),
    ).toBe(2);
  });

  it('with thousands of meters is read without going over them again and again', () => {
    const meter = Array.from({ length: 4000 }, (_, i) => ({ bar: i + 1, beats: 2 + (i % 5), unit: 4 }));
    const end = meterMap(meter).spans.at(-1)!.tick + 3840;
    expect(readMidiFile(writeMidiFile({ ...plain, meter, end })).meter).toEqual(meter);
  });

  it('whose tempos lie close together late in a song has them all, and the song its times', () => {
    fc.assert(
      fc.property(
        fc.array(
          fc.record({
            tick: fc.integer({ min: 1, max: 2_000_000 }),
            bpm: real(5, 1000),
            ramp: fc.constantFrom('jump' as const, 'linear' as const),
          }),
          { maxLength: 6 },
        ),
        fc.integer({ min: 0, max: 3 }),
        (changes, apart) => {
          const all = [
            { tick: 0, bpm: 97 },
            ...changes,
            ...changes.map((c) => ({ ...c, tick: c.tick + 1 + apart, bpm: c.bpm })),
          ];
          const map = tempoMap(all);
          const file = withoutRamps(map, 2_100_000);
          for (const { bpm } of file) {
            expect(bpm).toBeGreaterThan(3.57);
            expect(bpm).toBeLessThan(1100);
          }
          const read = tempoMap(file);
          // A ramp is steps of a sixteenth: where one ends, the times are the ramp's again.
          for (const { tick } of [...file, { tick: 2_100_000 }])
            expect(Math.abs(secondsAt(read, tick) - secondsAt(map, tick))).toBeLessThan(0.003);
        },
      ),
    );
  });
});

describe('a song of any legal shape', () => {
  const words = fc.string({ unit: 'grapheme', minLength: 1, maxLength: 20 }).map((s) => s.trim() || 'x');
  const songs: fc.Arbitrary<MidiSong> = fc
    .record({
      title: words,
      bars: fc.integer({ min: 1, max: 40 }),
      tempo: fc.uniqueArray(
        fc.record({
          tick: fc.integer({ min: 1, max: 100_000 }),
          bpm: fc.integer({ min: 60_000, max: 12_000_000 }).map((m) => 60e6 / m),
        }),
        { selector: (t) => t.tick, maxLength: 5 },
      ),
      meter: fc.uniqueArray(
        fc.record({
          bar: fc.integer({ min: 2, max: 20 }),
          beats: fc.integer({ min: 1, max: 64 }),
          unit: fc.constantFrom(1, 2, 4, 8, 16, 32),
        }),
        { selector: (m) => m.bar, maxLength: 4 },
      ),
      markers: fc.uniqueArray(fc.record({ tick: fc.integer({ min: 0, max: 30_000 }), text: words }), {
        selector: (m) => m.tick,
        maxLength: 4,
      }),
      tracks: fc.array(fc.record({ name: words, channel: fc.integer({ min: 0, max: 15 }), notes: someNotes }), {
        minLength: 1,
        maxLength: 3,
      }),
    })
    .map(({ title, bars, tempo, meter, markers, tracks }) => {
      const meters = [{ bar: 1, beats: 4, unit: 4 }, ...[...meter].sort((a, b) => a.bar - b.bar)];
      const end = meterMap(meters).spans.at(-1)!.tick + bars * 3840 + 40_000;
      return {
        title,
        end,
        meter: meters,
        tempo: [{ tick: 0, bpm: 60e6 / 500_000 }, ...tempo].filter((t) => t.tick < end).sort((a, b) => a.tick - b.tick),
        markers: [...markers].sort((a, b) => a.tick - b.tick),
        tracks: tracks
          .filter((t) => t.notes.length > 0)
          .map((t, i) => ({
            name: t.name,
            channel: (t.channel + i) % 16,
            events: eventsFromReading({ notes: t.notes, controls: [] }, true),
          })),
      };
    });

  it('is read as it was written, by two readers, and written again to the same bytes', () => {
    fc.assert(
      fc.property(songs, (song) => {
        const bytes = writeMidiFile(song);
        const read = readMidiFile(bytes);
        expect(read.tracks.map((t) => [t.name, t.events])).toEqual(song.tracks.map((t) => [t.name, t.events]));
        expect([read.title, read.end, read.markers]).toEqual([song.title, song.end, song.markers]);
        expect(read.meter).toEqual(song.meter);
        read.tempo.forEach((t, i) => {
          expect(t.tick).toBe(song.tempo[i]!.tick);
          expect(t.bpm).toBeCloseTo(song.tempo[i]!.bpm, 6);
        });
        expect(writeMidiFile(read)).toEqual(bytes);
        const second = other(bytes);
        const struck = second.tracks
          .flatMap((t) => t.events.filter((e) => e.statusByte >> 4 === 9).map((e) => `${e.ticks} ${e.data[0]}`))
          .sort();
        expect(struck).toEqual(
          song.tracks
            .flatMap((t) => t.events.flatMap((e) => (e.message.type === 'noteOn' ? [`${e.at} ${e.message.key}`] : [])))
            .sort(),
        );
      }),
    );
  });
});
