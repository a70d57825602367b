import { describe, expect, it } from 'vitest';
import { newSong } from '../../core/document/document';
import { mapsOf } from '../../core/document/maps';
import { countOff } from '../../core/recording/count';
import { contextTime, songTime } from './anchor';
import { clickPlan, clickStrokes, countStrokes, programOf, rhythmOf } from './program';
import { anchorOf, spansOf } from './spans';

const maps = mapsOf({ ...newSong('x', 'p'), tempo: [{ tick: 0, bpm: 120 }], bars: 2 });
const anchor = { context: 10, song: 2, speed: 1 };
const on = { counts: true, plays: true, accent: true, subdivision: 1 };
const off = { ...on, plays: false };
const note = (start: number, end: number) => ({ id: `${start}`, key: 60, velocity: 80, release: 64, start, end });
const pedal = (at: number, value: number) => ({ at, message: { type: 'control' as const, controller: 64, value } });

describe('the transport', () => {
  it('knows the audio time of a place in the song, and back', () => {
    expect(contextTime(anchor, 3.5)).toBe(11.5);
    expect(songTime(anchor, contextTime(anchor, -4))).toBe(-4);
  });

  it('schedules the click on every beat from where it starts to the end', () => {
    const clicks = programOf(maps, anchor, { from: 2, to: 4 }, [], on).filter((e) => 'click' in e);
    expect(clicks.map((e) => e.at)).toEqual([10, 10.5, 11, 11.5]);
    expect(clicks[0]).toMatchObject({ click: 'bar' });
  });

  it('counts off before the music, also when the click is off', () => {
    const clicks = countStrokes(countOff(maps.tempo, maps.meter, 3840, 1).beats, anchor, off);
    expect(clicks.map((e) => e.at)).toEqual([8, 8.5, 9, 9.5]);
  });

  it('starts in the middle with the pedal as it was, and notes nothing again', () => {
    const line = { notes: [note(0, 5000), note(3840, 4800)], controls: [pedal(100, 127), pedal(4500, 0)] };
    const events = programOf(maps, anchor, { from: 2, to: 4 }, [{ channel: 3, line }], off);
    // The release of a note that may sound from before is there, ahead of the next note of its key; its note is
    // not.
    expect(events.map((e) => ('message' in e ? e.message.type : ''))).toEqual([
      'control',
      'noteOff',
      'noteOn',
      'control',
      'noteOff',
    ]);
    expect(events[0]!.at).toBeCloseTo(9.998, 9);
    expect(events.every((e) => 'channel' in e && e.channel === 3)).toBe(true);
  });

  it('runs everything slower about its anchor', () => {
    const slow = { ...anchor, speed: 0.5 };
    expect(contextTime(slow, 3)).toBe(12);
    expect(songTime(slow, 12)).toBe(3);
    expect(programOf(maps, slow, { from: 2, to: 4 }, [], on).map((e) => e.at)).toEqual([10, 11, 12, 13]);
  });

  it('goes round a loop in spans that meet exactly, however many', () => {
    const loop = { from: 2, to: 10 / 3 };
    const laps = spansOf(loop, 1, 1 + 64 * (4 / 3), 99);
    expect(laps[0]).toEqual({ at: 1, from: 1, to: 10 / 3, lap: 0 });
    laps.slice(1).forEach((s, i) => {
      expect(s.at).toBe(loop.to + i * (loop.to - loop.from));
      expect(s.from).toBeCloseTo(2, 12);
      expect(contextTime(anchorOf(anchor, s), s.from)).toBeCloseTo(contextTime(anchor, s.at), 12);
    });
    expect(spansOf(loop, 6, 6.1, 99)).toEqual([
      { at: 6, from: expect.closeTo(10 / 3, 9) as number, to: 10 / 3, lap: 2 },
      expect.objectContaining({ lap: 3 }),
    ]);
    expect(spansOf(null, 3, 9, 20)).toEqual([{ at: 3, from: 3, to: 20, lap: 0 }]);
  });

  it('ends what sounds at the end of a span, and begins the next with the controllers of its own place', () => {
    const line = { notes: [note(3000, 9000)], controls: [pedal(100, 127), pedal(5000, 0), pedal(7000, 127)] };
    const voice = [{ channel: 3, line }];
    const first = programOf(maps, anchor, { from: 1, to: 4 }, voice, off);
    expect(first.filter((e) => 'message' in e && e.message.type === 'noteOff').map((e) => e.at)).toEqual([
      contextTime(anchor, 4),
    ]);
    const next = programOf(maps, anchor, { from: 2.8, to: 4 }, voice, off, voice);
    expect(
      next
        .filter((e) => 'message' in e && e.message.type === 'control')
        .map((e) => 'message' in e && 'value' in e.message && e.message.value),
    ).toEqual([0, 127]);
  });

  it('plays the click when, and how, it is asked to', () => {
    const { click } = newSong('x', 'p');
    const plays = (when: typeof click.when) =>
      [true, false].map((recording) => clickPlan({ ...click, when }, recording)).map((p) => [p.counts, p.plays]);
    expect(plays('always')).toEqual([
      [true, true],
      [true, true],
    ]);
    expect(plays('recording')).toEqual([
      [true, true],
      [true, false],
    ]);
    expect(plays('counting')).toEqual([
      [true, false],
      [true, false],
    ]);
    expect(plays('never')).toEqual([
      [false, false],
      [false, false],
    ]);
    const strokes = clickStrokes(maps.meter, 960, 2880, { accent: true, subdivision: 3 });
    expect(strokes.map((s) => s.tick)).toEqual([960, 1280, 1600, 1920, 2240, 2560]);
    expect(strokes.map((s) => s.stroke)).toEqual(['beat', 'sub', 'sub', 'beat', 'sub', 'sub']);
    expect(clickStrokes(maps.meter, 0, 960, { accent: false, subdivision: 1 })[0]!.stroke).toBe('beat');
  });

  it('plays the sections’ rhythms on the drum bank', () => {
    const song = {
      ...newSong('x', 'p'),
      sections: [
        { id: 'a', name: 'Verse', bars: 2, pattern: 'straight' as const },
        { id: 'b', name: 'Link', bars: 2, pattern: null },
      ],
    };
    const { notes } = rhythmOf(song, mapsOf(song).meter);
    expect(notes.length).toBeGreaterThan(10);
    expect(Math.max(...notes.map((n) => n.start))).toBeLessThan(2 * 3840);
  });
});
