import { describe, expect, it } from 'vitest';
import { toldTempo } from './toldTempo';

describe('the tempo in a client’s text', () => {
  it.each([
    ['Slow and warm, 72 bpm, brushes.', 72],
    ['Tempo: 128', 128],
    ['tempo is 93,5 or thereabouts', 93.5],
    ['{title: Causeway}\n{tempo: 96}', 96],
    ['♩ = 104, straight', 104],
    ['♩.=60', 60],
    ['Quarter note = 88', 88],
    ['140BPM. Mixed at 140 bpm, from bar 1.', 140],
  ])('“%s” is %d', (text, bpm) => expect(toldTempo(text)).toBe(bpm));

  it.each([
    'bar 12 too busy',
    'from 96 bpm to 104 bpm at the end',
    'a tempo in bar 8',
    'the tempo 90 % of the demo’s',
    'at 5 bpm',
    'the tempo at bar 33 feels late',
    'chord: bpm',
    '',
  ])('“%s” says none, or not which', (text) => expect(toldTempo(text)).toBe(null));
});
