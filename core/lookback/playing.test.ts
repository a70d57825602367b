import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { performances, performed } from '../testing/playing';
import { doubled, halved, readPlaying, shifted } from './playing';
import { real } from '../testing/realNumbers';

describe('tempo from playing', () => {
  const near = (bpm: number, wanted: number) => Math.abs(bpm / wanted - 1) < 0.02;

  it('is found in a bar of chords, an arpeggio, a melody with a pick-up, a waltz and swung playing', () => {
    const plain = { bpm: 96, bars: 6, looseness: 8, drift: 0 };
    for (const style of ['chords', 'arpeggio', 'melody', 'waltz', 'swing'] as const) {
      const p = performed({ style, ...plain, seed: 5 });
      const readings = readPlaying(p.notes);
      expect(readings.length).toBeGreaterThanOrEqual(2);
      expect(readings.length).toBeLessThanOrEqual(4);
      expect(near(readings[0]!.bpm, 96)).toBe(true);
      const downs = readings[0]!.beats.filter((_, i) => i % readings[0]!.beatsPerBar === 0);
      expect(downs.some((d) => Math.abs(d - p.one) < 0.12)).toBe(true);
      if (style === 'waltz') expect(readings[0]!.beatsPerBar).toBe(3);
    }
    const oneBar = performed({ style: 'chords', ...plain, bars: 1, seed: 3 });
    expect(readPlaying(oneBar.notes).some((r) => near(r.bpm, 96))).toBe(true);
  });

  it('is right first for most, and offered for nearly all', () => {
    const all = performances(60, 900);
    const rates = all.map((p) => ({ p, r: readPlaying(p.notes) }));
    expect(rates.filter(({ p, r }) => r[0] && near(r[0].bpm, p.bpm)).length).toBeGreaterThanOrEqual(49);
    expect(rates.filter(({ p, r }) => r.some((x) => near(x.bpm, p.bpm))).length).toBeGreaterThanOrEqual(57);
  });

  it('does not depend on when it was played, and takes anything without complaint', () => {
    const p = performed({ style: 'waltz', bpm: 110, bars: 5, looseness: 10, drift: 0, seed: 2 });
    const later = p.notes.map((n) => ({ ...n, start: n.start + 5000, end: n.end + 5000 }));
    expect(readPlaying(later).map((r) => Math.round(r.bpm * 100))).toEqual(
      readPlaying(p.notes).map((r) => Math.round(r.bpm * 100)),
    );
    expect(readPlaying([])).toEqual([]);
    expect(readPlaying([{ key: 60, velocity: 9, start: 0, end: 1 }])).toEqual([]);
    // A few onsets, most of a minute of nothing between them.
    const starts = [0, 0.5486053696594226, 7.160100306924479, 28.97228561759567, 30.925247907138083];
    const sparse = [...starts, 49.17306046428767, 50.916155684234646, 58.44551620932553].map((start, i) => {
      return { key: [0, 0, 0, 0, 27, 16, 125, 33][i]!, velocity: i === 7 ? 9 : 1, start, end: start + 0.2 };
    });
    for (const { beats } of readPlaying(sparse)) expect(beats).toEqual([...new Set(beats)].sort((x, y) => x - y));
    fc.assert(
      fc.property(
        fc.array(
          fc.record({
            key: fc.integer({ min: 0, max: 127 }),
            velocity: fc.integer({ min: 1, max: 127 }),
            start: real(0, 60),
          }),
          { maxLength: 60 },
        ),
        (notes) => {
          for (const r of readPlaying(notes.map((n) => ({ ...n, end: n.start + 0.2 })))) {
            expect(r.beats.length).toBeGreaterThan(1);
            r.beats.slice(1).forEach((b, i) => expect(b).toBeGreaterThan(r.beats[i]!));
          }
        },
      ),
    );
  });

  it('is halved, doubled and shifted by the player', () => {
    const reading = { beats: [0, 1, 2, 3, 4, 5, 6, 7, 8], beatsPerBar: 4, bpm: 60, score: 0 };
    expect(halved(reading)).toMatchObject({ beats: [0, 2, 4, 6, 8], bpm: 30 });
    expect(doubled(reading).beats.slice(0, 4)).toEqual([0, 0.5, 1, 1.5]);
    expect(shifted(reading, 1, 2).beats.slice(0, 3)).toEqual([1, 2, 3]);
    // A first note that would lie before the first bar gets a bar in front.
    expect(shifted(reading, 1, 0).beats.slice(0, 2)).toEqual([-3, -2]);
    expect(shifted(reading, -1, 0).beats[0]).toBe(-1);
  });
});
