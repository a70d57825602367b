import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { midiSongOf, withoutRamps } from '../handover/midi';
import { fileName } from '../handover/delivery';
import { songFromMidi } from '../import/fromMidi';
import { takeReader } from '../reading/reading';
import { newSong } from '../document/document';
import { change } from '../song/changes';
import { mapsOf } from '../document/maps';
import { header, tempoChanges } from '../testing/arbitraries';
import { secondsAt, tempoMap } from '../time/tempo';
import { DamagedFile } from './damaged';
import { readMidiFile, writeMidiFile, type MidiSong } from './smf';

const song: MidiSong = {
  title: 'Night Ferry',
  tempo: [
    { tick: 0, bpm: 96 },
    { tick: 7680, bpm: 120 },
  ],
  meter: [
    { bar: 1, beats: 4, unit: 4 },
    { bar: 3, beats: 6, unit: 8 },
  ],
  markers: [
    { tick: 0, text: 'Intro' },
    { tick: 7680, text: 'Verse' },
  ],
  key: { fifths: -3, minor: true },
  tracks: [
    {
      name: 'Electric piano',
      channel: 2,
      events: [
        { at: 0, message: { type: 'noteOn', key: 60, velocity: 90 } },
        { at: 480, message: { type: 'control', controller: 64, value: 127 } },
        { at: 960, message: { type: 'noteOff', key: 60, velocity: 50 } },
        { at: 960, message: { type: 'bend', value: 9000 } },
        { at: 970, message: { type: 'pressure', value: 5 } },
        { at: 980, message: { type: 'keyPressure', key: 60, value: 9 } },
        { at: 990, message: { type: 'program', value: 4 } },
      ],
    },
  ],
  end: 15_360,
};
const bytes = () => writeMidiFile(song);
let ids = 0;
const newId = (): string => `id${(ids += 1)}`;

describe('a Standard MIDI File', () => {
  it('comes back as it was written', () => {
    expect(readMidiFile(bytes())).toEqual(song);
  });

  it('scales other divisions to ours', () => {
    const file = bytes();
    new DataView(file.buffer).setUint16(12, 480);
    const read = readMidiFile(file);
    expect(read.tracks[0]!.events[2]!.at).toBe(1920);
  });

  it('may say its tempos in any track, and holds texts of any length', () => {
    const track = (events: readonly number[]): number[] => {
      const all = [...events, 0, 0xff, 0x2f, 0];
      const size = [24, 16, 8, 0].map((by) => (all.length >> by) & 255);
      return [0x4d, 0x54, 0x72, 0x6b, ...size, ...all];
    };
    const tempo = (delta: number, micros: number): number[] => [
      ...[delta, 0xff, 0x51, 3, micros >> 16, (micros >> 8) & 255, micros & 255],
    ];
    const head = [0x4d, 0x54, 0x68, 0x64, 0, 0, 0, 6, 0, 1, 0, 2, 0, 96];
    const text = [0, 0xff, 1, 0x8c, 0x9a, 0x40, ...Array.from({ length: 200_000 }, () => 65)];
    const file = Uint8Array.from([
      ...head,
      ...track([...tempo(0, 500_000), ...tempo(100, 400_000), ...text]),
      ...track([...tempo(50, 300_000), ...tempo(50, 600_000), 0, 0x90, 60, 80, 10, 0x80, 60, 0]),
    ]);
    const { tempo: read, tracks } = readMidiFile(file);
    expect(read.map((t) => [t.tick, Math.round(t.bpm)])).toEqual([
      [0, 120],
      [500, 200],
      [1000, 100],
    ]);
    expect(tracks[0]!.events).toHaveLength(2);
    expect(songFromMidi(file, 'x.mid', newId, '').document.tempo).toHaveLength(3);
  });

  it('with more ticks to a quarter than ours comes out with no chord torn by rounding', () => {
    const places = Array.from({ length: 40 }, (_, i) => 241 * i + 1);
    const events = places.flatMap((at) => [
      ...[60, 64].map((key) => ({ at: at / 2, message: { type: 'noteOn' as const, key, velocity: 80 } })),
      ...[60, 64].map((key) => ({ at: at / 2 + 60, message: { type: 'noteOff' as const, key, velocity: 64 } })),
    ]);
    const tempos = [0, 3, 7, 11].map((bar) => ({ tick: bar * 3840, bpm: 97.3 + bar * 7.7 }));
    const fine = writeMidiFile(
      { ...song, tempo: tempos, markers: [], tracks: [{ name: 'Piano', channel: 0, events }], end: 16 * 3840 },
      { resolution: 1920 },
    );
    const { document, layers } = songFromMidi(fine, 'x.mid', newId, '');
    const read = takeReader(new Map(layers.map((l) => [l.header.id, l])), document.clocks);
    for (const [resolution, exact] of [
      [1920, true],
      [960, false],
    ] as const) {
      const out = readMidiFile(
        writeMidiFile(midiSongOf(document, document.parts, read, { resolution }), { resolution }),
      );
      const struck = out.tracks[0]!.events.filter((e) => e.message.type === 'noteOn').map((e) => e.at);
      places.forEach((at, i) => {
        expect(struck[2 * i]).toBe(struck[2 * i + 1]);
        expect(struck[2 * i]).toBe(exact ? at / 2 : Math.round(at / 2));
      });
    }
  });

  it('is 120 in four-four when it says nothing', () => {
    // The header and the second track, which has no tempo and no meter in it.
    const all = bytes();
    const second = 22 + new DataView(all.buffer).getUint32(18);
    const read = readMidiFile(Uint8Array.from([...all.slice(0, 14), ...all.slice(second)]));
    expect([read.tempo, read.meter]).toEqual([[{ tick: 0, bpm: 120 }], [{ bar: 1, beats: 4, unit: 4 }]]);
  });

  it.each([
    ['that is not one', () => Uint8Array.from([1, 2, 3, 4, 5]), /does not begin/],
    ['that is empty', () => new Uint8Array(), /does not begin/],
    ['cut in its header', () => bytes().slice(0, 10), /header/],
    ['cut in a track', () => bytes().slice(0, -30), /cut short in its track 2/],
    [
      'with film frames',
      () => {
        const b = bytes();
        b[12] = 0xe8;
        return b;
      },
      /SMPTE/,
    ],
    [
      'of format 2',
      () => {
        const b = bytes();
        b[9] = 2;
        return b;
      },
      /format 2/,
    ],
    [
      'without ticks',
      () => {
        const b = bytes();
        b[12] = 0;
        b[13] = 0;
        return b;
      },
      /no ticks/,
    ],
    ['without tracks', () => bytes().slice(0, 14), /no tracks/],
  ])('%s is refused with the reason', (_, make, reason) => {
    expect(() => readMidiFile(make())).toThrow(reason);
    expect(() => readMidiFile(make())).toThrow(DamagedFile);
  });

  /** A file of one track, or of several, from their bytes. */
  const fileOf = (...tracks: number[][]) =>
    Uint8Array.from([
      ...[0x4d, 0x54, 0x68, 0x64, 0, 0, 0, 6, 0, 1, 0, tracks.length, 0, 96],
      ...tracks.flatMap((t) => [0x4d, 0x54, 0x72, 0x6b, 0, 0, t.length >> 8, t.length & 255, ...t]),
    ]);
  const END = [0, 0xff, 0x2f, 0];
  const tempoAt = (delta: number, ...micros: number[]) => [delta, 0xff, 0x51, 3, ...micros];

  it('without an end of track is read to its last event', () => {
    expect(readMidiFile(fileOf([0, 0x90, 60, 80, 96, 0x80, 60, 0])).tracks[0]!.events).toHaveLength(2);
  });

  it('with running status carried over into another track is refused, since that is no event', () => {
    expect(() => readMidiFile(fileOf([0, 0x90, 60, 80, ...END], [0, 62, 80, ...END]))).toThrow(/not MIDI events/);
  });

  it('with a tempo of no time is refused; with thousands of tempos it is read, with too many refused', () => {
    expect(() => readMidiFile(fileOf([...tempoAt(0, 0, 0, 0), ...END]))).toThrow(/no time/);
    const many = (n: number) =>
      fileOf(
        ...Array.from({ length: Math.ceil(n / 5000) }, () => [
          ...Array.from({ length: Math.min(n, 5000) }, (_, i) => tempoAt(1, 7, 0xa1, i & 127)).flat(),
          ...END,
        ]),
      );
    expect(readMidiFile(many(5000)).tempo.length).toBe(5001);
    expect(() => readMidiFile(many(25_000))).toThrow(/changes its tempo 25000 times/);
  });

  it('with a meter that is none is refused, however many bits its unit has', () => {
    const meterOf = (beats: number, power: number) => fileOf([0, 0xff, 0x58, 4, beats, power, 24, 8, ...END]);
    expect(readMidiFile(meterOf(7, 3)).meter).toEqual([{ bar: 1, beats: 7, unit: 8 }]);
    // The parser shifts by it: 31 is below zero, 32 is one again.
    for (const power of [6, 30, 31]) expect(() => readMidiFile(meterOf(4, power))).toThrow(DamagedFile);
  });

  it('that a few bytes make longer than any song is refused, before anybody goes through its bars', () => {
    const longest = (bars: number) => writeMidiFile({ ...song, meter: song.meter.slice(0, 1), end: bars * 3840 });
    expect(readMidiFile(longest(5000)).end).toBe(5000 * 3840);
    expect(() => readMidiFile(longest(5001))).toThrow(/longer than 5000 bars/);
    expect(() => readMidiFile(longest(60_000))).toThrow(DamagedFile);
  });

  it('either reads or gives a reason, whatever bytes are changed', () => {
    const good = bytes();
    fc.assert(
      fc.property(
        fc.array(fc.tuple(fc.nat(good.length - 1), fc.nat(255)), { maxLength: 8 }),
        fc.nat(good.length),
        (changes, length) => {
          const bad = Uint8Array.from(good);
          for (const [at, byte] of changes) bad[at] = byte;
          try {
            readMidiFile(bad.slice(0, length));
          } catch (error) {
            expect(error).toBeInstanceOf(DamagedFile);
          }
        },
      ),
      { numRuns: 500 },
    );
  });
});

describe('handing over', () => {
  it('steps through a ramp so that the time of every step is right to a microsecond', () => {
    fc.assert(
      fc.property(tempoChanges(5), (changes) => {
        const map = tempoMap(changes.map((c) => ({ ...c, tick: Math.round(c.tick / 40) })));
        const steps = withoutRamps(map, 20_000);
        const flat = tempoMap(steps);
        const first = steps[0]!.tick;
        steps.forEach(({ tick }) => {
          const error = secondsAt(flat, tick) - secondsAt(flat, first) - (secondsAt(map, tick) - secondsAt(map, first));
          expect(Math.abs(error)).toBeLessThan(1e-5);
        });
      }),
    );
  });

  it('writes the line from bar 1, every file as long as the song', () => {
    const base = newSong('The Orchard Gate', 'piano');
    const layer = {
      header: header({ partId: 'piano', tempo: base.tempo }),
      closing: { range: { from: 0, to: 7680 }, clears: [] },
      events: [
        { at: 0.6, message: { type: 'noteOn' as const, key: 64, velocity: 70 } },
        { at: 1.2, message: { type: 'noteOff' as const, key: 64, velocity: 64 } },
      ],
    };
    const { document } = change(base, {
      type: 'record',
      at: '',
      result: { passId: 'p', mode: 'new take', layers: [{ ...layer, notes: 1 }] },
    });
    const read = readMidiFile(
      writeMidiFile(midiSongOf(document, document.parts, takeReader(new Map([['layer', layer]]), []))),
    );
    expect(read.title).toBe('The Orchard Gate');
    expect(read.end).toBe(mapsOf(document).end);
    expect(read.tracks[0]).toMatchObject({ name: 'Piano', channel: 0 });
    expect(read.tracks[0]!.events.map((e) => [e.at, e.message.type])).toEqual([
      [0, 'program'],
      [960, 'noteOn'],
      [1920, 'noteOff'],
    ]);
  });

  it('names files so that every system takes them', () => {
    expect(fileName('Tide: one/two - Electric piano', 'mid')).toBe('Tide_ one_two - Electric piano.mid');
  });
});
