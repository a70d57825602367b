import { get as readChord } from '@tonaljs/chord';
import type { SongDocument } from '../document/document';
import { semitonesInBar } from '../document/transposition';
import type { WrittenBar } from '../document/writtenBar';
import { LONGEST_WRITTEN, MOST_BARS } from '../vocabulary/limits';
import { fifthsBy, type SongKey } from '../vocabulary/key';
import type { Form } from './meant';

/** Chord symbol with its beat, from 1. */
export interface PlacedSymbol {
  readonly text: string;
  readonly beat: number;
  /** Test for a symbol that can be read as a chord; other symbols are shown as written. */
  readonly read: boolean;
}

const ASIDE = /^(?:n\.?c\.?|%|-)$/i;
/** Symbol in the spelling of the chord library. */
const plain = (symbol: string): string =>
  symbol
    .replace(/[♯＃]/g, '#')
    .replace(/♭/g, 'b')
    .replace(/[∆Δ]7?/g, 'maj7')
    .replace(/[()]/g, '');
export const isChord = (symbol: string): boolean => ASIDE.test(symbol) || !readChord(plain(symbol)).empty;

/**
 * Symbols of a bar on its beats: one each where their numbers agree; fewer symbols share the bar evenly.
 * @example symbolsOf('Am7 D7', 4).map((s) => s.beat) // [1, 3]
 */
export function symbolsOf(chords: string, beats: number): PlacedSymbol[] {
  const signs = chords.split(/\s+/).filter(Boolean);
  const room = Math.max(beats, signs.length);
  return signs.flatMap((text, i) => {
    if (text === '.' || text === '/') return [];
    const beat = 1 + Math.floor((Math.floor((i * room) / signs.length) * beats) / room);
    return [{ text, beat, read: isChord(text) }];
  });
}

/** Result of reading a written part. */
export interface ReadWritten {
  readonly written: readonly WrittenBar[];
  /** Error in words; empty where everything was read. */
  readonly trouble: string;
}

const HEADER = /^\s*\[(.+)\]\s*$/;
const BAR_HEADER = /^bar\s+(\d{1,4})$/i;
const LETTER = /^\(([\p{L}\d]{1,4})\)\s*/u;
const QUOTED = /["“]([^"”]*)["”]/;

/** Bar from a cell such as "(B) Am7 D7 “softly”". */
function barOf(cell: string, bar: number): WrittenBar {
  const trimmed = cell.trim();
  const letter = LETTER.exec(trimmed)?.[1] ?? '';
  const rest = trimmed.replace(LETTER, '');
  const words = QUOTED.exec(rest)?.[1]?.trim() ?? '';
  return { bar, letter, words, chords: rest.replace(QUOTED, ' ').trim().replace(/\s+/g, ' ') };
}
const saysSomething = ({ letter, chords, words }: WrittenBar): boolean => Boolean(letter || chords || words);

/**
 * Reads a typed part: bars between lines, "%" for a repeated bar, and a section's name or bar number in brackets before
 * bars that do not follow.
 */
export function readWritten(text: string, form: Form): ReadWritten {
  const bars = new Map<number, WrittenBar>();
  let bar = 1;
  for (const line of text.split(/\r\n?|\n/)) {
    if (line.trim() === '') continue;
    const name = HEADER.exec(line)?.[1]?.trim();
    if (name !== undefined && !(isChord(name) && !sectionAt(name, bar, form))) {
      const to = sectionAt(name, bar, form);
      if (to === null) return { written: [], trouble: `There is no section “${name}” in the song.` };
      bar = to;
      continue;
    }
    const cells = line
      .trim()
      .replace(/^\|+:?|:?\|+$/g, '')
      .split(/:?\|+:?/);
    for (const cell of cells) {
      const own = barOf(cell, bar);
      const before = bars.get(bar - 1);
      const made = own.chords === '%' && before ? { ...own, chords: before.chords } : own;
      if (made.chords.length > LONGEST_WRITTEN || made.words.length > LONGEST_WRITTEN)
        return { written: [], trouble: `Bar ${bar} has more in it than a bar can be read from.` };
      if (bar > form.bars && saysSomething(made))
        return { written: [], trouble: `Bar ${bar} is after the end of the song, which has ${form.bars}.` };
      bars.set(bar, made);
      bar = Math.min(bar + 1, MOST_BARS + 1);
    }
  }
  return { written: [...bars.values()].filter(saysSomething).sort((a, b) => a.bar - b.bar), trouble: '' };
}

/** First bar of the place that a header names; of several sections of one name, the next. */
function sectionAt(name: string, bar: number, { bars, sections }: Form): number | null {
  const number = BAR_HEADER.exec(name)?.[1];
  if (number) return Number(number) >= 1 && Number(number) <= bars ? Number(number) : null;
  const named = sections.filter((s) => s.name.toLowerCase() === name.toLowerCase());
  return (named.find((s) => s.first >= bar) ?? named[0])?.first ?? null;
}

const BARS_A_LINE = 4;
const cellOf = ({ letter, chords, words }: WrittenBar): string =>
  [letter && `(${letter})`, chords, words && `"${words}"`].filter(Boolean).join(' ');

/** Written part as text, which `readWritten` reads back. */
export function writtenText(written: readonly WrittenBar[], form: Form): string {
  if (written.length === 0) return '';
  const last = written.at(-1)!.bar;
  const by = new Map(written.map((w) => [w.bar, w]));
  const ranges = [...form.sections, { name: '', first: (form.sections.at(-1)?.last ?? 0) + 1, last: form.bars }];
  return ranges
    .filter((s) => s.first <= last && s.first <= s.last)
    .map(({ name, first, last: end }) => {
      const cells = Array.from({ length: Math.min(end, last) - first + 1 }, (_, i) => by.get(first + i));
      const lines = Array.from({ length: Math.ceil(cells.length / BARS_A_LINE) }, (_, i) =>
        cells
          .slice(i * BARS_A_LINE, (i + 1) * BARS_A_LINE)
          .map((w) => (w ? cellOf(w) : ''))
          .join(' | '),
      );
      // A line of one empty bar would be no line.
      return [`[${name || `bar ${first}`}]`, ...lines.map((line) => (line.trim() === '' ? '| |' : `| ${line} |`))].join(
        '\n',
      );
    })
    .join('\n\n');
}

/**
 * Words for a bar of the written part.
 * @example writtenIn([{ bar: 2, letter: 'B', chords: 'Am7 . D7', words: '' }], 2) // '(B) Am7 D7'
 */
export function writtenIn(written: readonly WrittenBar[], bar: number): string {
  const own = written.find((w) => w.bar === bar);
  if (!own) return '';
  const symbols = own.chords.split(' ').filter((sign) => sign !== '.' && sign !== '/');
  return [own.letter && `(${own.letter})`, ...symbols, own.words && `“${own.words}”`].filter(Boolean).join(' ');
}

/** Note letters in fifths from F: one step is a fifth, seven an accidental. */
const LINE_OF_FIFTHS = 'FCGDAEB';
const NOTE_NAME = /^([A-G])([#♯b♭]*)/;
/** Slash before a bass note. */
const BASS = /\/(?=[A-G][#♯b♭]*$)/;

/** Name of a note some fifths away, with accidentals in the symbol's spelling; never two of them. */
function noteBy(name: string, fifths: number, isPlain: boolean): string {
  const [, letter, signs] = NOTE_NAME.exec(name)!;
  const sharps = [...signs!].reduce((sum, sign) => sum + ('#♯'.includes(sign) ? 1 : -1), 0);
  let place = LINE_OF_FIFTHS.indexOf(letter!) + 7 * sharps + fifths;
  // Two accidentals have a simpler name.
  while (place > 13) place -= 12;
  while (place < -7) place += 12;
  const count = Math.floor(place / 7);
  const [sharp, flat] = isPlain ? ['#', 'b'] : ['♯', '♭'];
  const sign = count > 0 ? sharp : flat;
  return LINE_OF_FIFTHS[place - 7 * count]! + sign.repeat(Math.abs(count));
}

/** Chord symbol some fifths away; other text stays. */
function symbolBy(symbol: string, fifths: number): string {
  if (ASIDE.test(symbol) || !NOTE_NAME.test(symbol) || !isChord(symbol)) return symbol;
  const isPlain = !/[♯♭]/.test(symbol);
  const [chord, bass] = symbol.split(BASS) as [string, string?];
  const root = NOTE_NAME.exec(chord)![0];
  const under = bass === undefined ? '' : `/${noteBy(bass, fifths, isPlain)}`;
  return noteBy(root, fifths, isPlain) + chord.slice(root.length) + under;
}

/**
 * Symbols of a bar transposed by semitones, spelled by the sounding key.
 * @example chordsBy('Am7/G . D7', 2, null) // 'Bm7/A . E7'
 */
export function chordsBy(chords: string, semitones: number, key: SongKey | null): string {
  if (semitones === 0) return chords;
  const fifths = fifthsBy(semitones, key);
  return chords
    .split(' ')
    .map((symbol) => symbolBy(symbol, fifths))
    .join(' ');
}

/** Written part in the sounding key of each bar. */
export const writtenNow = ({
  written,
  key,
  transposition,
}: Pick<SongDocument, 'written' | 'key' | 'transposition'>): readonly WrittenBar[] =>
  transposition.length === 0
    ? written
    : written.map((w) => ({ ...w, chords: chordsBy(w.chords, semitonesInBar(transposition, w.bar), key) }));
