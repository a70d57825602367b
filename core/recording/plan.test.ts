import { describe, expect, it } from 'vitest';
import { newSong, type SongDocument } from '../song/document';
import { mapsOf } from '../song/song';
import { planPass } from './plan';

const song = newSong('Lamps', 'piano');
const plan = (of: SongDocument, over: Partial<Parameters<typeof planPass>[0]> = {}) => {
  let n = 0;
  return planPass({
    song: of, maps: mapsOf(of), part: of.parts[0]!, start: 3840, from: 'Bench keyboard', latency: { output: 0.02, input: 0 },
    newId: () => `id-${n++}`, at: '2026-01-01T00:00:00.000Z', ...over,
  });
};
const withBrief = (brief: Partial<SongDocument['brief']>): SongDocument => ({ ...song, brief: { ...song.brief, ...brief } });

describe('the plan of a pass', () => {
  it('is what the brief says', () => {
    const quantize = { grid: '16 straight', strength: 0.5, ends: 'keep length' } as const;
    const made = plan(withBrief({ countOffBars: 2, range: { from: 7680, to: 11_520 }, keyboard: 'bench', quantize }));
    expect(made).toMatchObject({ mode: 'new take', range: { from: 7680, to: 11_520 }, keyboard: 'bench', layers: [{ partId: 'piano', quantize, planned: { from: 7680, to: 11_520 } }] });
    expect(made.count.beats).toHaveLength(8);
  });

  it('goes from the playhead to the end when no bars are chosen, and never starts past it', () => {
    expect(plan(song).range).toEqual({ from: 3840, to: 32 * 3840 });
    expect(plan(song, { start: 99 * 3840 }).range.from).toBeLessThan(32 * 3840);
  });

  it('is not changed by anything that the brief does not say', () => {
    const part = { ...song.parts[0]!, gainDb: -20, muted: true, solo: true, sound: 'clavi' as const, name: 'Other', ink: 'rust' as const };
    const other: SongDocument = {
      ...song, title: 'Another', parts: [part], click: { on: false, gainDb: 0 }, sections: [{ id: 's', name: 'Verse', bars: 4 }],
    };
    expect(plan(other)).toEqual(plan(song));
  });

  it('keeps what is needed to place the layer again', () => {
    expect(plan(song).layers[0]).toMatchObject({ tempo: song.tempo, latency: { output: 0.02, input: 0 }, placement: { policy: 'heard', nudge: 0 } });
  });
});
