import { describe, expect, it } from 'vitest';
import { chordProText, isChordPro } from './chordPro';

const SECTIONS = ['Verse 1', 'Chorus'];

describe('ChordPro', () => {
  it('is told from a part that is typed', () => {
    expect(isChordPro('{title: Reed Lane}\n[Am]Down by the [D7]water')).toBe(true);
    expect(isChordPro('Down by the [D7]water')).toBe(true);
    expect(isChordPro('[Verse 1]\nAm7 | D7 . . G')).toBe(false);
    expect(isChordPro('Am7 | D7')).toBe(false);
  });

  it('gives the bars of its grids, and a bar for each chord over words', () => {
    const text = [
      '{title: Reed Lane}',
      '# for the band',
      '{start_of_verse: Verse 1}',
      '[Am]Down by the [D7sus4]water, [*softly]there',
      'no chords here',
      '{end_of_verse}',
      '{soc}',
      '{start_of_grid}',
      'A | Am . . . | C . D . | x2',
      '{end_of_grid}',
      '{eoc}',
      '{comment: Outside}',
    ].join('\r\n');
    expect(chordProText(text, SECTIONS)).toBe('[Verse 1]\n| Am | D7sus4 |\n[Chorus]\n| Am . . . | C . D . |');
  });
});
