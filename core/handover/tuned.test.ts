import { describe, expect, it } from 'vitest';
import { newSong, type SongDocument } from '../document/document';
import { mapsOf } from '../document/maps';
import { readMidiFile, writeMidiFile } from '../files/smf';
import { takeReader } from '../reading/reading';
import { changedSince } from './changed';
import { midiSongOf } from './midi';
import { cueSheet } from './sheets';

const song = (tuning: number): SongDocument => ({ ...newSong('Reed Lane', 'piano'), tuning });
const controlsOf = (tuning: number, tuned: boolean) => {
  const made = midiSongOf(song(tuning), song(tuning).parts, takeReader(new Map(), []), { tuned });
  const { tracks } = readMidiFile(writeMidiFile(made));
  return tracks.flatMap((t) =>
    t.events.flatMap(({ message: m }) => (m.type === 'control' ? [[m.controller, m.value]] : [])),
  );
};

describe('a song’s tuning', () => {
  it('is in its MIDI as fine tuning, where that is wanted, and the parameter is let go of', () => {
    const value = (msb: number, lsb: number) => [
      ...[101, 100].map((controller, i) => [controller, i]),
      ...[
        [6, msb],
        [38, lsb],
        [101, 127],
        [100, 127],
      ],
    ];
    // 8192 is no change, and 8192 steps are a half tone.
    expect(controlsOf(25, true)).toEqual(value(80, 0));
    expect(controlsOf(-100, true)).toEqual(value(0, 0));
    expect(controlsOf(100, true)).toEqual(value(127, 127));
    expect(controlsOf(25, false)).toEqual([]);
    expect(controlsOf(0, true)).toEqual([]);
  });

  it('is told where it is not 440', () => {
    expect(cueSheet(song(20), mapsOf(song(20)))).toContain('tuned to A 445.1 Hz, 20 cents sharp');
    expect(cueSheet(song(0), mapsOf(song(0)))).not.toContain('tuned');
    const before = [{ number: 1, document: song(0), parts: ['piano'] }];
    expect(changedSince(before, song(-10), song(-10).parts, new Map()).song).toEqual([
      'tuned to A 437.5 Hz, 10 cents flat',
    ]);
  });
});
