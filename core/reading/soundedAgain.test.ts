import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { newSong, type SongDocument } from '../document/document';
import { mapsOf } from '../document/maps';
import { newPart, type Part, type SoundedAgain } from '../document/part';
import { newTake } from '../document/take';
import type { Note, Reading } from '../performance/notes';
import type { Recording } from '../takes/sound';
import { HEARD, layer, off, on } from '../testing/layers';
import { real } from '../testing/realNumbers';
import { barStart } from '../time/meter';
import { secondsAt } from '../time/tempo';
import { change } from '../song/changes';
import { asItWasPlayed, takeReader } from './reading';
import { soundOfLine, soundRanges, type SoundSources } from './sound';
import { soundedAgain, soundedRanges, soundFingerprints } from './soundedAgain';

const BARS = 8;
const BAR = 3840;
const song: SongDocument = { ...newSong('Lamps', 'piano'), bars: BARS, tempo: [{ tick: 0, bpm: 120 }] };
const maps = mapsOf(song);
const AT = '2026-01-01T00:00:00.000Z';
const WHOLE = { from: 0, to: maps.endSeconds };

const note = (id: string, start: number, end: number, key = 60): Note => ({
  ...{ id, key, velocity: 80, release: 64, start, end },
});
const lineWith = (...notes: Note[]): Reading => ({
  notes: [...notes].sort((a, b) => a.start - b.start || a.key - b.key),
  controls: [],
});
/** A note on each bar, each within its bar. */
const plain = lineWith(...Array.from({ length: BARS }, (_, i) => note(`n${i}`, i * BAR, i * BAR + 900, 60 + i)));
const changed = (line: Reading, id: string, to: Partial<Note>): Reading =>
  lineWith(...line.notes.map((n) => (n.id === id ? { ...n, ...to } : n)));

const about = (id: string): Pick<SoundedAgain, 'id' | 'recording' | 'input' | 'at'> => ({
  ...{ id, recording: `${id}-sound`, input: 0.02, at: AT },
});
const soundedOnce = (line: Reading, id = 'a', rolled = WHOLE, late?: Set<number>): SoundedAgain =>
  soundedAgain(about(id), soundFingerprints(line, maps), maps, rolled, late)!;
const barsIn = (all: readonly SoundedAgain[], line: Reading, now = maps): number[] =>
  soundedRanges({ soundedAgain: all }, line, now).flatMap(({ first, last }) =>
    Array.from({ length: last - first + 1 }, (_, i) => first + i),
  );

const recordingOf = (id: string): Recording => ({
  ...{ id, zero: -1, rate: 48_000, channels: 2, first: 0, frames: 22 * 48_000, audio: 'a'.repeat(64), from: 'Line' },
});
const sourcesFor = (all: readonly SoundedAgain[]): SoundSources => ({
  layers: new Map(),
  recordings: new Map(all.map((a) => [a.recording, recordingOf(a.recording)])),
  clocks: [],
  read: takeReader(new Map(), []),
});
const heardOf = (all: readonly SoundedAgain[], line: Reading, now = maps) =>
  soundOfLine({ ...newPart({ id: 'p', name: 'P' }, 0), soundedAgain: all }, sourcesFor(all), now, () => line);

describe('a line that was sounded again', () => {
  it('has that sound, from the moment that it was recorded at, less the input latency', () => {
    expect(heardOf([soundedOnce(plain)], plain)).toMatchObject([
      {
        recording: 'a-sound',
        from: 0,
        to: expect.closeTo(16 + 4.98, 6) as number,
        into: expect.closeTo(1.02, 9) as number,
      },
    ]);
  });

  it('has it where it sounds as it did then, and again once a change is taken back', () => {
    const all = [soundedOnce(plain)];
    expect(barsIn(all, plain)).toEqual([1, 2, 3, 4, 5, 6, 7, 8]);
    expect(barsIn(all, changed(plain, 'n2', { velocity: 70 }))).toEqual([1, 2, 4, 5, 6, 7, 8]);
    // What rings into the next bar is heard there.
    expect(barsIn(all, changed(plain, 'n2', { end: 3 * BAR + 10 }))).toEqual([1, 2, 5, 6, 7, 8]);
    // A note counts to the bar that it means.
    expect(barsIn(all, changed(plain, 'n2', { start: 2 * BAR - 30 }))).toEqual([1, 2, 4, 5, 6, 7, 8]);
    const pedal = { at: BAR, message: { type: 'control', controller: 64, value: 127 } } as const;
    // A pedal that is down holds until the end.
    expect(barsIn(all, { ...plain, controls: [pedal] })).toEqual([1]);
  });

  it('has the sound of the last time of several', () => {
    const other = changed(plain, 'n2', { key: 40 });
    const all = [soundedOnce(plain, 'a'), soundedOnce(other, 'b', { from: 4, to: 8 })];
    const named = (line: Reading) => soundedRanges({ soundedAgain: all }, line, maps).map((s) => [s.again.id, s.first]);
    expect(named(other)).toEqual([
      ['a', 1],
      ['b', 3],
      ['a', 5],
    ]);
    expect(named(plain)).toEqual([
      ['a', 1],
      ['b', 4],
      ['a', 5],
    ]);
  });

  it('has none of bars that were not sounded whole, or in which something was sent late', () => {
    const some = soundedOnce(plain, 'a', { from: 2, to: 11.9 }, new Set([3]));
    expect([some.first, some.bars.length]).toEqual([2, 4]);
    expect(barsIn([some], plain)).toEqual([2, 4, 5]);
    expect(soundedAgain(about('a'), soundFingerprints(plain, maps), maps, { from: 2.5, to: 3.9 })).toBeNull();
    expect(soundedAgain(about('a'), soundFingerprints(plain, maps), maps, { from: 2, to: 4 }, new Set([2]))).toBeNull();
  });

  it('keeps its sound behind a bar that runs in another tempo now', () => {
    const all = [soundedOnce(plain)];
    const tempo = [
      { tick: 0, bpm: 120 },
      { tick: 2 * BAR, bpm: 60 },
      { tick: 3 * BAR, bpm: 120 },
    ];
    const now = mapsOf({ ...song, tempo });
    expect(barsIn(all, plain, now)).toEqual([1, 2, 4, 5, 6, 7, 8]);
    const [before, after] = heardOf(all, plain, now);
    expect([before!.from, before!.to, after!.from]).toEqual([0, 4, 8]);
    expect(after!.into).toBeCloseTo(7.02, 6);
  });

  it('takes the place of the takes’ sound, from the note that means its first beat on', () => {
    const made = layer('one', 0, 32, [on(0), off(1), on(7.97), off(9), on(12), off(13)]);
    const own = { ...made, header: { ...made.header, sound: { recording: 'one', input: 0, frame: 0 } } };
    const layers = new Map([['one', own]]);
    const take = newTake({ id: 't', number: 1, layers: ['one'], from: 0, to: maps.end, placement: HEARD, at: AT });
    const part: Part = {
      ...newPart({ id: 'p', name: 'P' }, 0),
      takes: [take],
      comp: [{ from: 0, to: maps.end, takeId: 't' }],
    };
    const read = takeReader(layers, []);
    const sources = { ...sourcesFor([{ ...soundedOnce(plain), recording: 'again' }]), layers, read };
    const recordings = new Map([...sources.recordings, ['one', recordingOf('one')]]);
    const again = { ...soundedOnce(read(take), 'a', { from: 4, to: 6 }), recording: 'again' };
    const heard = soundOfLine({ ...part, soundedAgain: [again] }, { ...sources, recordings }, maps);
    expect(heard.map((h) => [h.recording, h.from, h.to])).toEqual([
      ['one', 0, expect.closeTo(3.985, 6)],
      ['again', expect.closeTo(3.985, 6), 6],
      ['one', 6, expect.closeTo(21, 6)],
    ]);
    const asPlayed = asItWasPlayed({ ...part, soundedAgain: [again] });
    expect(soundOfLine(asPlayed, { ...sources, recordings }, maps).map((h) => h.recording)).toEqual(['one']);
    const ranges = soundedRanges({ soundedAgain: [again] }, read(take), maps);
    expect(soundRanges(part, layers, { clocks: [] }, ranges).map((s) => [s.from / 960, s.to / 960])).toEqual([
      [0, expect.closeTo(7.97, 6)],
      [12, 32],
    ]);
  });

  it('is one step of undo, and can be left out', () => {
    const again = soundedOnce(plain);
    const once = change(song, { type: 'sound again', part: 'piano', again, heard: true }).document;
    expect([once.parts[0]!.soundedAgain, once.parts[0]!.heardAs]).toEqual([[again], 'recorded']);
    const quietly = change(song, { type: 'sound again', part: 'piano', again, heard: false }).document;
    expect(quietly.parts[0]!.heardAs).toBe('program');
    const { document } = change(once, { type: 'leave sounded again', part: 'piano', again: 'a' });
    expect(document.parts[0]!.soundedAgain).toEqual([]);
  });

  it('is one sound at a time, each moment of it where it was recorded, and only what was touched is another', () => {
    const notes = fc.array(
      fc.record({ start: real(0, BARS * BAR - 1), length: real(20, 6000), key: fc.integer({ min: 40, max: 90 }) }),
      { minLength: 1, maxLength: 30 },
    );
    const edits = fc.array(fc.tuple(fc.nat(), real(-3000, 3000)), { maxLength: 5 });
    fc.assert(
      fc.property(notes, edits, fc.tuple(real(0, 16), real(0, 16)), (played, moves, [a, b]) => {
        const line = lineWith(...played.map((n, i) => note(`n${i}`, n.start, n.start + n.length, n.key)));
        const rolled = { from: Math.min(a, b), to: Math.max(a, b) };
        const first = soundedOnce(line, 'a');
        const second = soundedAgain(about('b'), soundFingerprints(line, maps), maps, rolled);
        const all = second ? [first, second] : [first];
        expect(barsIn(all, line)).toHaveLength(BARS);
        let now = line;
        const touched = new Set<number>();
        for (const [which, by] of moves) {
          const old = now.notes[which % now.notes.length]!;
          const moved = { start: Math.max(0, old.start + by), end: Math.max(0, old.start + by) + old.end - old.start };
          for (const { start, end } of [old, moved])
            for (let bar = Math.floor(start / BAR) + 1; bar <= Math.floor((end + 120) / BAR) + 1; bar += 1)
              touched.add(bar);
          now = changed(now, old.id, moved);
        }
        const untouched = Array.from({ length: BARS }, (_, i) => i + 1).filter((bar) => !touched.has(bar));
        expect(barsIn(all, now)).toEqual(expect.arrayContaining(untouched));
        const heard = heardOf(all, now);
        heard.forEach((h, i) => {
          expect(h.into - h.from).toBeCloseTo(1.02, 6);
          expect(h.to).toBeGreaterThan(h.from);
          if (heard[i + 1]) expect(heard[i + 1]!.from).toBeGreaterThanOrEqual(h.to - 1e-9);
        });
        for (const bar of barsIn(all, now)) {
          const middle = (secondsAt(maps.tempo, barStart(maps.meter, bar)) + 1) as number;
          expect(heard.some((h) => h.from <= middle && h.to > middle)).toBe(true);
        }
      }),
    );
  });
});
