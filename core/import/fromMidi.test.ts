import { describe, expect, it } from 'vitest';
import { midiSongOf } from '../handover/midi';
import { writeMidiFile, type MidiSong } from '../files/smf';
import { songFromMidi } from './fromMidi';
import { songSchema } from '../document/document';
import { lineOf, takeReader } from '../reading/reading';
import { mapsOf } from '../document/maps';

const file: MidiSong = {
  title: 'Night Ferry',
  end: 8 * 2880,
  tempo: [{ tick: 0, bpm: 80 }],
  meter: [{ bar: 1, beats: 6, unit: 8 }],
  markers: [{ tick: 2 * 2880, text: 'Verse' }],
  tracks: [
    {
      name: 'Felt piano',
      channel: 0,
      events: [
        { at: 0, message: { type: 'program', value: 4 } },
        { at: 480, message: { type: 'noteOn', key: 62, velocity: 70 } },
        { at: 960, message: { type: 'noteOff', key: 62, velocity: 64 } },
      ],
    },
    { name: 'Drums', channel: 9, events: [{ at: 0, message: { type: 'noteOn', key: 36, velocity: 99 } }] },
  ],
};
let count = 0;
const made = () => songFromMidi(writeMidiFile(file), 'ferry.mid', () => `id-${count++}`, '2026-01-01T00:00:00.000Z');

describe('a song from a MIDI file', () => {
  it('has the file’s tempo, meter, sections and parts, without the drums', () => {
    const { document } = made();
    expect(songSchema.parse(document)).toEqual(document);
    expect(document).toMatchObject({ title: 'Night Ferry', bars: 8, tempo: [{ bpm: 80 }], meter: [{ beats: 6 }] });
    expect(document.sections.map((s) => [s.name, s.bars])).toEqual([
      ['Start', 2],
      ['Verse', 6],
    ]);
    expect(document.parts.map((p) => [p.name, p.sound])).toEqual([['Felt piano', 'tine piano']]);
  });

  it('hands over the notes it was given', () => {
    const { document, layers } = made();
    const map = new Map(layers.map((l) => [l.header.id, l]));
    const [note] = lineOf(document.parts[0]!, takeReader(map, []), mapsOf(document)).notes;
    expect(note!.start).toBeCloseTo(480, 6);
    expect(midiSongOf(document, document.parts, takeReader(map, [])).end).toBe(file.end);
  });

  it('is one that can be saved, or is refused with the reason', () => {
    const from = (over: Partial<MidiSong>) =>
      songFromMidi(writeMidiFile({ ...file, ...over }), 'x.mid', () => `id-${count++}`, '').document;
    const many = from({
      meter: [{ bar: 1, beats: 4, unit: 4 }],
      markers: Array.from({ length: 600 }, (_, i) => ({ tick: i * 3840, text: `Part ${i}` })),
      end: 600 * 3840,
    });
    expect(songSchema.parse(many).sections.reduce((sum, x) => sum + x.bars, 0)).toBe(600);
    const long = from({
      meter: [{ bar: 1, beats: 4, unit: 4 }],
      markers: [{ tick: 0, text: 'Drone' }],
      end: 2500 * 3840,
    });
    expect(songSchema.parse(long).sections.map((x) => [x.name, x.bars])).toEqual([
      ['Drone', 2000],
      ['Drone', 500],
    ]);
    expect(() => from({ meter: [{ bar: 1, beats: 65, unit: 4 }] })).toThrow('65/4');
    expect(songSchema.parse(from({ title: '   ', markers: [{ tick: 0, text: '  ' }] })).title).toBe('x');
  });
});
