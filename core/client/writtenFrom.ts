import type { WrittenBar } from '../document/writtenBar';
import { chordProText, isChordPro } from '../files/chordPro';
import type { Form } from './meant';
import { isChord, readWritten, symbolsOf } from './written';

/** Fewer symbols than this are no part, but words with a chord in them. */
const FEWEST = 4;
/** Share of a line's symbols that are chords in a line of bars. */
const MOST_CHORDS = 0.75;
const HEADING = /^\s*\[?([^|[\]]+?)\]?\s*:?\s*$/;

const shareOfChords = (symbols: readonly string[]): number =>
  symbols.length === 0 ? 0 : symbols.filter(isChord).length / symbols.length;
const symbolsIn = (line: string): string[] =>
  line.split(/[|\s:]+/).filter((sign) => sign !== '' && sign !== '.' && sign !== '/');

/** Lines of bars with the headings that are sections of the song, as a written part is typed. */
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
 * Written part that a client's text about a song holds beside its words: lines of bars with chords, under the names of
 * the song's sections where it says them, or ChordPro.
 * @returns none where there are too few chords, or bars that the song has not got
 */
export function writtenFrom(text: string, form: Form): readonly WrittenBar[] {
  const names = form.sections.map((s) => s.name);
  const { written, trouble } = readWritten(isChordPro(text) ? chordProText(text, names) : barLines(text, names), form);
  const symbols = written.flatMap((w) => symbolsOf(w.chords, 4)).map((s) => s.text);
  return trouble !== '' || symbols.length < FEWEST || shareOfChords(symbols) < MOST_CHORDS ? [] : written;
}
