import { describe, expect, it } from 'vitest';
import { noteLines } from './noteLines';

const FORM = {
  ...{ bars: 32, barAt: (s: number) => Math.floor(s / 2) + 1, played: { first: 1, last: 32 } },
  sections: [
    { name: 'Verse', first: 1, last: 16 },
    { name: 'Chorus', first: 17, last: 32 },
  ],
};
const lines = (text: string) => noteLines(text, FORM).map((l) => (l.polite ? `(${l.text})` : l.text));

describe('a client’s text', () => {
  it('is a note a line, and a note for each place that a line names', () => {
    expect(lines('bar 12 too busy; chorus: softer pedal; last note a bar longer')).toEqual([
      'bar 12 too busy',
      'chorus: softer pedal',
      'last note a bar longer',
    ]);
    expect(lines('Bar 3 is late. Only the left hand, I think. In the chorus the pad hides it.')).toEqual([
      'Bar 3 is late. Only the left hand, I think.',
      'In the chorus the pad hides it.',
    ]);
  });

  it('loses its bullets and its own numbers, and keeps a number that is a bar’s', () => {
    expect(lines('- bar 3 late\n• verse: softer\n* chorus: louder')).toEqual([
      'bar 3 late',
      'verse: softer',
      'chorus: louder',
    ]);
    expect(lines('1. bar 3 late\r\n2. verse: softer')).toEqual(['bar 3 late', 'verse: softer']);
    expect(lines('12: too busy\n14: late')).toEqual(['12: too busy', '14: late']);
  });

  it('sets apart who greets and thanks', () => {
    expect(lines('Hi!\nGreat work, thanks.\nbar 3 late\n\nCheers,')).toEqual([
      '(Hi!)',
      '(Great work, thanks.)',
      'bar 3 late',
      '(Cheers,)',
    ]);
    expect(lines('Lovely, thank you!\nLovely work')).toEqual(['(Lovely, thank you!)', '(Lovely work)']);
    expect(lines('Great work in the chorus')).toEqual(['Great work in the chorus']);
  });

  it('without a word in it is none', () => {
    expect(lines(' \n--\n ')).toEqual([]);
  });
});
