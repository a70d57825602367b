import type { WrittenBar } from '../document/writtenBar';
import { chordProText, isChordPro } from '../files/chordPro';
import type { Form } from './meant';
import { isChord, readWritten, symbolsOf } from './writtenPart';

/** Least number of symbols in a written part. */
const FEWEST = 4;
/** Least share of chords among a line's symbols. */
const MOST_CHORDS = 0.75;
const HEADING = /^\s*\[?([^|[\]]+?)\]?\s*:?\s*$/;

const shareOfChords = (symbols: readonly string[]): number =>
  symbols.length === 0 ? 0 : symbols.filter(isChord).length / symbols.length;
const symbolsIn = (line: string): string[] =>
  line.split(/[|\s:]+/).filter((sign) => sign !== '' && sign !== '.' && sign !== '/');

/** Lines of bars with section headings, in the form of a typed part. */
function barLines(text: string, sections: readonly string[]): string {
  const named = new Map(sections.map((name) => [name.toLowerCase(), name]));
  return text
    .split(/\r\n?|\n/)
    .flatMap((line): string[] => {
      const section = named.get(HEADING.exec(line)?.[1]?.toLowerCase() ?? '');
      if (section) return [`[${section}]`];
      return line.includes('|') && shareOfChords(symbolsIn(line)) >= MOST_CHORDS ? [line] : [];
    })
    .join('\n');
}

/**
 * Written part within a client's text: lines of bars with chords under section names, or ChordPro.
 * @returns empty with too few chords, or bars outside the song
 */
export function writtenFrom(text: string, form: Form): readonly WrittenBar[] {
  const names = form.sections.map((s) => s.name);
  const { written, trouble } = readWritten(isChordPro(text) ? chordProText(text, names) : barLines(text, names), form);
  const symbols = written.flatMap((w) => symbolsOf(w.chords, 4)).map((s) => s.text);
  return trouble !== '' || symbols.length < FEWEST || shareOfChords(symbols) < MOST_CHORDS ? [] : written;
}
