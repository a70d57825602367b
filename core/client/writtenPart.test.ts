import { get as readChord } from '@tonaljs/chord';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { KEYS, transposedKey } from '../vocabulary/key';
import { chordsBy, isChord, readWritten, symbolsOf, writtenText } from './writtenPart';

/** A note's place among the twelve keys. */
const chromaOf = (name: string): number =>
  'C D EF G A B'.indexOf(name[0]!) + [...name.slice(1)].reduce((sum, sign) => sum + (sign === '#' ? 1 : -1), 0);

const round = (chroma: number): number => ((chroma % 12) + 12) % 12;

const FORM = {
  ...{ bars: 24, barAt: () => 1, played: { first: 1, last: 24 } },
  sections: [
    { name: 'Verse', first: 1, last: 8 },
    { name: 'Chorus', first: 9, last: 12 },
    { name: 'Verse', first: 13, last: 20 },
  ],
};
const read = (text: string) => {
  const { written, trouble } = readWritten(text, FORM);
  return trouble || written.map((w) => [w.bar, w.letter, w.chords, w.words].filter((x) => x !== '').join(' '));
};

describe('a written part', () => {
  it('is bars between lines, with sections and bars in brackets where it goes on elsewhere', () => {
    expect(read('Am7 | D7sus4 . . D7')).toEqual(['1 Am7', '2 D7sus4 . . D7']);
    expect(read('[Chorus]\n| F | % | G7 | |\n[verse]\nC')).toEqual(['9 F', '10 F', '11 G7', '13 C']);
    expect(read('[bar 22]\n(B) Dm "softly" | “tacet”')).toEqual(['22 B Dm softly', '23 tacet']);
    expect(read('[Verse]\nC\n[Chorus]\nF\n[Verse]\nG')).toEqual(['1 C', '9 F', '13 G']);
    expect(read('|: Am | Dm :|\n|| E7 ||')).toEqual(['1 Am', '2 Dm', '3 E7']);
    expect(read('')).toEqual([]);
  });

  it('that cannot be taken says why', () => {
    expect(read('[Bridge]\nC')).toBe('There is no section “Bridge” in the song.');
    expect(read('[bar 24]\nC | D')).toBe('Bar 25 is after the end of the song, which has 24.');
    expect(read(`${'C '.repeat(200)}`)).toMatch(/^Bar 1 has more in it/);
  });

  it('puts its symbols on their beats', () => {
    const on = (chords: string, beats: number) => symbolsOf(chords, beats).map((s) => `${s.text}@${s.beat}`);
    expect(on('Am7', 4)).toEqual(['Am7@1']);
    expect(on('Am7 D7', 4)).toEqual(['Am7@1', 'D7@3']);
    expect(on('D7sus4 . . D7', 4)).toEqual(['D7sus4@1', 'D7@4']);
    expect(on('C Dm Em', 3)).toEqual(['C@1', 'Dm@2', 'Em@3']);
    expect(on('C D', 3)).toEqual(['C@1', 'D@2']);
    expect(on('C D E F G A', 4).map((s) => s.split('@')[1])).toEqual(['1', '1', '2', '3', '3', '4']);
  });

  it('knows the symbols that people write, and shows the others as they are', () => {
    for (const symbol of [
      'Am7',
      'D7sus4',
      'F#m7b5',
      'F♯m',
      'B♭/D',
      'Cmaj9',
      'C∆',
      'G7(b9)',
      'C6/9',
      'N.C.',
      'Bø',
      'E°7',
    ])
      expect(isChord(symbol), symbol).toBe(true);
    for (const word of ['softly', 'x', 'tacet', 'Hm']) expect(isChord(word), word).toBe(false);
    expect(symbolsOf('softly', 4)).toEqual([{ text: 'softly', beat: 1, read: false }]);
  });

  it('is the same again out of its own text', () => {
    const sign = fc.constantFrom('Am7', 'D7sus4', '.', 'F#m7b5/A', 'N.C.', 'Cmaj9');
    const cell = fc.record({
      bar: fc.integer({ min: 1, max: 24 }),
      letter: fc.constantFrom('', '', 'A', 'C2'),
      chords: fc.array(sign, { maxLength: 5 }).map((all) => all.join(' ')),
      words: fc.constantFrom('', '', 'softly', 'ad lib.'),
    });
    fc.assert(
      fc.property(fc.uniqueArray(cell, { selector: (c) => c.bar, maxLength: 24 }), (cells) => {
        const written = cells.filter((c) => c.letter || c.chords || c.words).sort((a, b) => a.bar - b.bar);
        expect(readWritten(writtenText(written, FORM), FORM)).toEqual({ written, trouble: '' });
      }),
    );
  });

  it('is transposed as its key is spelled, and keeps the rest of each symbol', () => {
    const C = { fifths: 0, minor: false };
    expect(chordsBy('Am7 . D7sus4/G N.C. softly', 2, C)).toBe('Bm7 . E7sus4/A N.C. softly');
    expect(chordsBy('C G/B F#m7b5', 1, C)).toBe('Db Ab/C Gm7b5');
    expect(chordsBy('C', 6, C)).toBe('F#');
    expect(chordsBy('E♭maj7 A♭/C', -1, { fifths: -3, minor: false })).toBe('Dmaj7 G/B');
    expect(chordsBy('Bm F#7/A#', 1, { fifths: 2, minor: false })).toBe('Cm G7/B');
    expect(chordsBy('C6/9 | %', 3, null)).toBe('Eb6/9 | %');
  });

  it('is the same chords in the other key, and comes back to the same keys', () => {
    const symbol = fc.constantFrom('C', 'Am7', 'F#m7b5', 'Bb7/D', 'E°7', 'Gsus4', 'D♭maj9', 'Ab/C', 'B7(b9)', 'N.C.');
    const key = fc.option(fc.constantFrom(...KEYS));
    const pitches = (text: string): (number | null)[] => {
      const { tonic, bass } = readChord(text.replaceAll('♯', '#').replaceAll('♭', 'b').replace(/[()]/g, ''));
      return [tonic, bass].map((n) => (n ? round(chromaOf(n)) : null));
    };
    const quality = (text: string): string => text.replaceAll(/[A-G][#♯b♭]?/g, '');
    fc.assert(
      fc.property(symbol, key, fc.integer({ min: -12, max: 12 }), (own, of, semitones) => {
        const there = chordsBy(own, semitones, of);
        const moved = pitches(own).map((c) => (c === null ? c : round(c + semitones)));
        expect(pitches(there), `${own} ${semitones} ${there}`).toEqual(moved);
        expect(quality(there)).toBe(quality(own));
        expect(there).not.toMatch(/##|bb|♯♯|♭♭/);
        const back = chordsBy(there, -semitones, of && transposedKey(of, semitones));
        expect(pitches(back)).toEqual(pitches(own));
      }),
    );
  });
});
