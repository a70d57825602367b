import { describe, expect, it } from 'vitest';
import { change } from '../song/changes';
import { newPart } from '../document/part';
import { readLayer } from '../takes/layer';
import { secondsAt, tempoMap } from '../time/tempo';
import { keepFree } from './keep';
import { beatAt, inFreeTime, onSongTempo, phraseRange, tempoOfPhrase } from './phrasePlacement';
import { playedNotes } from './onsets';
import { song, maps, event, bufferOf, facts } from '../testing/lookBackBuffers';

describe('a phrase placed in the song', () => {
  const reading = { beats: [10, 11, 12.2, 13.2, 14.2], beatsPerBar: 4, bpm: 57, score: 0 };

  it('has its wander ironed, or kept, or gives the song its tempo', () => {
    const ironed = onSongTempo(reading, 3840, false);
    expect([10, 11, 12.2, 11.6].map(ironed)).toEqual([3840, 4800, 5760, expect.closeTo(5280, 6)]);
    const kept = onSongTempo(reading, 3840, true);
    expect(kept(14.2)).toBeCloseTo(3840 * 2, 6);
    expect(kept(11)).toBeLessThan(4800);
    const tempo = tempoMap(tempoOfPhrase(reading, 3840, song.tempo, true));
    const start = secondsAt(tempo, 3840);
    reading.beats.forEach((b, i) =>
      expect(Math.abs(secondsAt(tempo, 3840 + i * 960) - start - (b - 10))).toBeLessThan(0.0045),
    );
    expect(tempoOfPhrase(reading, 3840, song.tempo, false)).toEqual([
      { tick: 0, bpm: 120 },
      { tick: 3840, bpm: expect.closeTo(240 / 4.2, 9) as number },
    ]);
    expect(inFreeTime(10, 3840, maps.tempo)(11.5)).toBeCloseTo(3840 + 1.5 * 1920, 6);
    expect(beatAt(reading, 14.7)).toBeCloseTo(4.5, 9);
    expect(phraseRange(3840, 3840 * 2 + 10, maps.meter)).toEqual({ from: 3840, to: 3840 * 3 });
  });

  it('is kept for the part that heard it, from the bar that was chosen, whatever its placement', () => {
    const of = bufferOf([
      event(1, 10_000, 60),
      event(2, 10_900, 60, false),
      event(3, 11_000, 64),
      event(4, 11_900, 64, false),
    ]);
    const tickOf = onSongTempo(reading, 3840, false);
    for (const nudge of [0, 30]) {
      const placement = { policy: 'played' as const, nudge };
      const kept = keepFree(
        facts(of, -1, { placements: new Map([['piano', placement]]) }),
        tickOf,
        phraseRange(3840, tickOf(11.9), maps.meter),
      );
      expect(readLayer(kept.layers[0]!.layer, placement).notes.map((n) => [n.key, Math.round(n.start)])).toEqual([
        [60, 3840],
        [64, 4800],
      ]);
      expect(kept.results[0]!.layers[0]!.notes).toBe(2);
    }
    const quantize = { grid: '16 straight', strength: 1, ends: 'keep length' } as const;
    expect(
      keepFree(facts(of, -1, { quantize }), tickOf, phraseRange(3840, tickOf(11.9), maps.meter)).layers[0]!.layer.header
        .quantize,
    ).toEqual(quantize);
    expect(
      keepFree(facts(of), tickOf, phraseRange(3840, tickOf(11.9), maps.meter)).layers[0]!.layer.header.quantize,
    ).toBeNull();
    expect(keepFree(facts(of, -1, { placements: new Map() }), tickOf, { from: 0, to: 10 })).toEqual({
      layers: [],
      results: [],
    });
    expect(playedNotes(of.events).map((n) => [n.start, n.end])).toEqual([
      [10, 10.9],
      [11, 11.9],
    ]);
  });

  it('can give the song its tempo and its length in the same change', () => {
    const short = { ...song, bars: 1, parts: [newPart({ id: 'piano', name: 'Piano' }, 0)] };
    const tempo = tempoOfPhrase(reading, 0, short.tempo, false);
    const { document } = change(short, {
      type: 'keep',
      results: [],
      at: '',
      bars: 3,
      retiming: { tempo, meter: [{ bar: 1, beats: 3, unit: 4 }], bars: 3, takes: 'bars' },
    });
    expect(document.bars).toBe(3);
    expect(document.tempo).toEqual(tempo);
    expect(document.meter).toEqual([{ bar: 1, beats: 3, unit: 4 }]);
  });
});
