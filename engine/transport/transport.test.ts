import { describe, expect, it } from 'vitest';
import { newSong } from '../../core/song/document';
import { mapsOf } from '../../core/song/song';
import { countOff } from '../../core/recording/count';
import { contextTime, songTime } from './anchor';
import { programOf } from './program';

const maps = mapsOf({ ...newSong('x', 'p'), tempo: [{ tick: 0, bpm: 120 }], bars: 2 });
const anchor = { context: 10, song: 2 };
const note = (start: number, end: number) => ({ id: `${start}`, key: 60, velocity: 80, release: 64, start, end });
const pedal = (at: number, value: number) => ({ at, message: { type: 'control' as const, controller: 64, value } });

describe('the transport', () => {
  it('knows the audio time of a place in the song, and back', () => {
    expect(contextTime(anchor, 3.5)).toBe(11.5);
    expect(songTime(anchor, contextTime(anchor, -4))).toBe(-4);
  });

  it('schedules the click on every beat from where it starts to the end', () => {
    const clicks = programOf(maps, anchor, 2, [], true, null).filter((e) => 'click' in e);
    expect(clicks.map((e) => e.at)).toEqual([10, 10.5, 11, 11.5]);
    expect(clicks[0]).toMatchObject({ click: 'bar' });
  });

  it('counts off before the music, also when the click is off', () => {
    const clicks = programOf(maps, anchor, 2, [], false, countOff(maps.tempo, maps.meter, 3840, 1));
    expect(clicks.map((e) => e.at)).toEqual([8, 8.5, 9, 9.5]);
  });

  it('starts in the middle with the pedal as it was, and strikes nothing again', () => {
    const line = { notes: [note(0, 5000), note(3840, 4800)], controls: [pedal(100, 127), pedal(4500, 0)] };
    const events = programOf(maps, anchor, 2, [{ channel: 3, line }], false, null);
    expect(events.map((e) => ('message' in e ? e.message.type : ''))).toEqual(['control', 'noteOn', 'control', 'noteOff']);
    expect(events[0]!.at).toBeCloseTo(9.998, 9);
    expect(events.every((e) => 'channel' in e && e.channel === 3)).toBe(true);
  });
});
