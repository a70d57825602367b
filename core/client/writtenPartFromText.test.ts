import { describe, expect, it } from 'vitest';
import { writtenFrom } from './writtenPartFromText';

const FORM = {
  ...{ bars: 16, barAt: () => 1, played: { first: 1, last: 16 } },
  sections: [
    { name: 'Verse', first: 1, last: 8 },
    { name: 'Chorus', first: 9, last: 16 },
  ],
};
const found = (text: string) => writtenFrom(text, FORM).map((w) => `${w.bar} ${w.chords}`);

describe('a client’s text about a song', () => {
  it('has its chords found among its words, under the sections that it names', () => {
    expect(
      found(
        'Hi! Slow, 72 bpm, brushes.\n\nVerse:\n| Am7 | D7sus4 D7 |\nG | %\n\nthe chorus lifts | a bit\n[Chorus]\n' +
          '|: Fmaj7 | G7 :|\nThanks | Ann',
      ),
    ).toEqual(['1 Am7', '2 D7sus4 D7', '3 G', '4 G', '9 Fmaj7', '10 G7']);
  });

  it('that is ChordPro is read as that', () => {
    expect(found('{title: Reed Lane}\n{start_of_chorus}\nThe [C]water is [Am7]wide to[F]night [G]all')).toEqual([
      ...['9 C', '10 Am7', '11 F', '12 G'],
    ]);
  });

  it('without chords, with one or two, or with more bars than the song has, gives none', () => {
    expect(found('Opening in three, then the refrain twice.\nA bit softer | in the verse')).toEqual([]);
    expect(found('End on | G | please')).toEqual([]);
    expect(found(Array.from({ length: 5 }, () => '| Am | F | C | G |').join('\n'))).toEqual([]);
    expect(found('')).toEqual([]);
  });
});
