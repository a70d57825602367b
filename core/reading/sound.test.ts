import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { newSong, type SongDocument } from '../document/document';
import { mapsOf } from '../document/maps';
import { newPart, type Part } from '../document/part';
import { newTake } from '../document/take';
import type { Layer } from '../takes/layer';
import { pick } from '../takes/line';
import type { Recording } from '../takes/sound';
import { HEARD, layer, off, on } from '../testing/layers';
import { takeReader } from './reading';
import { hasSound, soundOfLine, soundsOf, soundWithout, type SoundSources } from './sound';

const song: SongDocument = { ...newSong('Lamps', 'piano'), bars: 8, tempo: [{ tick: 0, bpm: 120 }] };
const maps = mapsOf(song);
const AT = '2026-01-01T00:00:00.000Z';

/** A take of the whole song; its recording began a second before bar 1 and goes on for two behind the end. */
function take(id: string, events: Parameters<typeof layer>[3] = []) {
  const made = layer(id, 0, 32, events);
  const own: Layer = { ...made, header: { ...made.header, sound: { recording: id, input: 0, frame: 0 } } };
  const recording: Recording = {
    ...{ id, zero: -1, rate: 48_000, channels: 1, first: 0, frames: 19 * 48_000, audio: 'a'.repeat(64), from: 'Line' },
  };
  const whole = { from: 0, to: maps.end };
  return {
    ...{ own, recording },
    take: newTake({ id, number: 1, layers: [id], ...whole, placement: HEARD, at: AT }),
  };
}
type Made = ReturnType<typeof take>;
const sourcesOf = (takes: readonly Made[]): SoundSources => {
  const layers = new Map(takes.map((t) => [t.own.header.id, t.own]));
  return {
    ...{ layers, recordings: new Map(takes.map((t) => [t.recording.id, t.recording])), clocks: [] },
    read: takeReader(layers, []),
  };
};
const partOf = (takes: readonly Made[], comp: Part['comp']): Part => ({
  ...newPart({ id: 'piano', name: 'Piano' }, 0),
  takes: takes.map((t) => t.take),
  comp,
});
const beats = (from: number, to: number, takeId: string) => ({ from: from * 960, to: to * 960, takeId });

describe('a line’s sound', () => {
  it('is each take’s where that is picked, and rings on behind the song as far as it was recorded', () => {
    const takes = [take('one'), take('two')];
    const comp = [beats(0, 8, 'one'), beats(8, 32, 'two')];
    expect(soundOfLine(partOf(takes, comp), sourcesOf(takes), maps)).toEqual([
      { recording: 'one', from: 0, to: 4, into: 1, semitones: 0 },
      { recording: 'two', from: 4, to: 18, into: 5, semitones: 0 },
    ]);
  });

  it('begins with a note that means its first beat, and the take before ends there', () => {
    const takes = [take('one', [on(7.95, 40), off(8, 40)]), take('two', [on(7.9), off(9)])];
    const comp = [beats(0, 8, 'one'), beats(8, 16, 'two')];
    const [before, after] = soundOfLine(partOf(takes, comp), sourcesOf(takes), maps);
    expect([before!.to, after!.from, after!.into]).toEqual([3.95, 3.95, 4.95]);
    expect(after!.to).toBe(8);
  });

  it('begins where a note was made, wherever the hand has put its note since', () => {
    const takes = [take('one'), take('two', [on(7.9), off(9)])];
    const comp = [beats(0, 8, 'one'), beats(8, 16, 'two')];
    const part = partOf(takes, comp);
    const moved = { op: 'move', notes: { two: '0' }, by: 480, keys: 0 } as const;
    const edited = { ...part, takes: part.takes.map((t) => (t.id === 'two' ? { ...t, edits: [moved] } : t)) };
    expect(soundOfLine(edited, sourcesOf(takes), maps)).toEqual(soundOfLine(part, sourcesOf(takes), maps));
  });

  it('is silent in some ranges, and goes on after each where it would be', () => {
    const whole = [{ recording: 'one', from: 1, to: 9, into: 3, semitones: 0 }];
    const silent = (...gone: [number, number][]) =>
      soundWithout(
        whole,
        gone.map(([from, to]) => ({ from, to })),
      ).map((s) => [s.from, s.to, s.into]);
    expect(silent([2, 4])).toEqual([
      [1, 2, 3],
      [4, 9, 6],
    ]);
    expect(silent([0, 1], [9, 12])).toEqual([[1, 9, 3]]);
    expect(silent([0, 5], [6, 20])).toEqual([[5, 6, 7]]);
    expect(silent([0, 10])).toEqual([]);
  });

  it('is silent where nothing is picked, and of a take with no sound', () => {
    const takes = [take('one')];
    const { layers, ...rest } = sourcesOf(takes);
    const part = partOf(takes, [beats(4, 8, 'one'), beats(12, 16, 'gone')]);
    expect(soundOfLine(part, { layers, ...rest }, maps).map((s) => [s.from, s.to])).toEqual([[2, 4]]);
    expect(soundOfLine(part, { layers, ...rest, recordings: new Map() }, maps)).toEqual([]);
    expect([hasSound(part, layers), hasSound(part, new Map())]).toEqual([true, false]);
  });

  it('is worked out of those parts alone that are heard as it', () => {
    const takes = [take('one')];
    const part = partOf(takes, [beats(0, 8, 'one')]);
    const all = (heardAs: Part['heardAs'], away = false) =>
      soundsOf({ parts: [{ ...part, heardAs, away }] }, sourcesOf(takes), maps);
    expect(all('program').size).toBe(0);
    expect(all('recorded').get('piano')).toHaveLength(1);
    expect(all('recorded', true).get('piano')).toEqual([]);
  });

  it('is one sound at a time, each moment of it where it was recorded, whatever is picked', () => {
    const played = fc.array(fc.tuple(fc.integer({ min: 0, max: 30_000 }), fc.integer({ min: 1, max: 900 })), {
      maxLength: 12,
    });
    const picks = fc.array(
      fc.record({
        takeId: fc.constantFrom('one', 'two', 'three'),
        from: fc.integer({ min: 0, max: 30_000 }),
        length: fc.integer({ min: 1, max: 9000 }),
      }),
      { maxLength: 8 },
    );
    fc.assert(
      fc.property(fc.tuple(played, played, played), picks, (played, chosen) => {
        const takes = ['one', 'two', 'three'].map((id, i) =>
          take(
            id,
            played[i]!.flatMap(([at, length]) => [on(at / 960), off((at + length) / 960)]).sort((a, b) => a.at - b.at),
          ),
        );
        const comp = chosen.reduce<Part['comp']>(
          (before, { takeId, from, length }) => pick(before, { takeId, from, to: Math.min(maps.end, from + length) }),
          [],
        );
        const sounds = soundOfLine(partOf(takes, comp), sourcesOf(takes), maps);
        sounds.forEach((s, i) => {
          expect(s.into - s.from).toBeCloseTo(1, 9);
          expect(s.to).toBeGreaterThan(s.from);
          if (sounds[i + 1]) expect(sounds[i + 1]!.from).toBeGreaterThanOrEqual(s.to - 1e-9);
        });
        // In the middle of what is picked, far enough from any note ahead of a join, it is that take's.
        for (const { takeId, from, to } of comp) {
          if (to - from < 400) continue;
          const middle = (from + to) / 2 / 1920;
          expect(sounds.find((s) => s.from <= middle && s.to > middle)?.recording).toBe(takeId);
        }
      }),
    );
  });
});
