/**
 * ChordPro (chordpro.org, version 6) as a written part's text. Grids have bars of their own; of chords over words
 * nobody knows the bars, so each gets one. Words, titles and what is for the eye alone are left out.
 */
const DIRECTIVE = /^\s*\{\s*([\w-]+)\s*(?:[: ]\s*([^}]*))?\}\s*$/;
const INLINE = /\[([^\]*][^\]]*)\]/g;
const STARTS: Readonly<Record<string, string>> = {
  ...{ start_of_verse: 'Verse', sov: 'Verse', start_of_chorus: 'Chorus', soc: 'Chorus', chorus: 'Chorus' },
  ...{ start_of_bridge: 'Bridge', sob: 'Bridge' },
};

/** Test for text in ChordPro. */
export const isChordPro = (text: string): boolean =>
  text.split(/\r\n?|\n/).some((line) => DIRECTIVE.test(line)) ||
  /^(?!\s*\[[^\]]*\]\s*$).*\w.*\[[A-G][^\]]*\]/m.test(text);

/** @param sections names of the song's sections; other headings are left out */
export function chordProText(text: string, sections: readonly string[]): string {
  const named = new Map(sections.map((name) => [name.toLowerCase(), name]));
  const heading = (label: string): string[] => {
    const name = named.get(label.trim().toLowerCase());
    return name ? [`[${name}]`] : [];
  };
  let grid = false;
  return text
    .split(/\r\n?|\n/)
    .flatMap((line): string[] => {
      const [, directive, value = ''] = DIRECTIVE.exec(line) ?? [];
      if (directive) {
        if (/^(?:start_of_grid|sog)$/.test(directive)) grid = true;
        if (/^(?:end_of_grid|eog)$/.test(directive)) grid = false;
        const label = value.replace(/^label="(.*)"$/, '$1') || STARTS[directive] || '';
        return directive in STARTS || /^(?:comment|c|ci|start_of_part|sop|start_of_grid|sog)$/.test(directive)
          ? heading(label)
          : [];
      }
      if (line.trimStart().startsWith('#')) return [];
      if (grid || line.includes('|')) {
        // Margins are beside the bars of a grid.
        const bars = /\|.*\|/.exec(line);
        return bars ? [bars[0]] : [];
      }
      const chords = [...line.matchAll(INLINE)].map(([, chord]) => chord!.trim());
      return chords.length > 0 ? [`| ${chords.join(' | ')} |`] : [];
    })
    .join('\n');
}
