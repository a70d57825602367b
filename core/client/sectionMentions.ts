import type { Bars, Form, Mention } from './meant';
import { COUNT, countOf, PLACE, placeOf } from './numberWords';

/** Synonyms of section names, with the name that they are read as. */
const ALSO: readonly (readonly [RegExp, string])[] = [
  [/\bpre[- ]?chorus(?=(?:es)?\b)/g, 'prechorus'],
  [/(?<![\w-])(?:refrain|hook)(?=s?\b)/g, 'chorus'],
  [/(?<![\w-])(?:middle[- ](?:eight|8)|b[- ]section)(?=s?\b)/g, 'bridge'],
  [/(?<![\w-])introduction\b/g, 'intro'],
  [/(?<![\w-])(?:outtro|coda)\b|(?:(?<=\bthe )|^)ending\b/g, 'outro'],
  [/(?<![\w-])(?:ch|chor)\.? ?(?=\d)/g, 'chorus '],
  [/(?<![\w-])vs?\.? ?(?=\d)/g, 'verse '],
];
/** Letters count as a section's name only in such places: "letter B", "at B", "B: softer". */
const BEFORE_ONE = [
  ...['letter', 'section', 'mark', 'figure', 'cue', 'part'],
  ...['at', 'of', 'in', 'from', 'to', 'until', 'before', 'after', 'into'],
]
  .map((word) => `[${word[0]!.toUpperCase()}${word[0]}]${word.slice(1)}`)
  .join('|');
const LETTER = new RegExp(
  String.raw`\b(?<before>${BEFORE_ONE})\s+["“'‘]?(?<letter>[A-Z]\d?)["”'’]?(?![\w'’-]| (?:minor|major|flat|sharp)\b)|` +
    String.raw`(?:^\s*|[([])["“'‘]?(?<alone>[A-Z]\d?)["”'’]?(?=\s*[:)\]–-])`,
  'g',
);
const NAMES_A_LETTER = /^(?:letter|section|mark|figure|cue|part)$/i;
const IS_LETTER = /^[a-z]\d?$/;

/** Name without its number: "Chorus 2" is a chorus. */
const kindOf = (name: string): string => (IS_LETTER.test(name) ? `section ${name}` : name.replace(/[\s.#]*\d+$/, ''));
const numberIn = (name: string): number | null => {
  const found = IS_LETTER.test(name) ? null : /(\d+)$/.exec(name);
  return found ? Number(found[1]) : null;
};
const IS_LETTER_KIND = /^section [a-z]\d?$/;
const AND = String.raw`\s*(?:,\s*and|,|and|&|\+|-|to|or)\s*`;
/** Numbers after a section's name, unless they count something else. */
const NUMBERS =
  String.raw`(?: no\.? ?| ?#|[ -])?(?<numbers>\d{1,2}(?!\d|:\d|\.\d)(?:${AND}\d{1,2}(?!\d|:\d))*|` +
  String.raw`(?<= )(?:${COUNT}))(?! ?(?:db|bars?\b|beats?\b|times?\b|ms\b|%))`;
const escaped = (text: string): string => text.replace(/[.*+?^${}()|[\]\\]/g, String.raw`\$&`);

/** Line in lower case, with synonyms replaced; names of the song's own sections stay. */
export function plainWords(line: string, { sections }: Form): string {
  const own = sections.map((s) => s.name.toLowerCase());
  const letters = new Set(own.filter((name) => IS_LETTER.test(name)));
  const lettered = line.replace(LETTER, (all: string, ...rest: unknown[]) => {
    const { before, letter, alone } = rest.at(-1) as Record<string, string | undefined>;
    const name = letter ?? alone!;
    if (!letters.has(name.toLowerCase())) return all;
    const stays = before && !NAMES_A_LETTER.test(before) ? `${before} ` : '';
    return `${stays}section ${name}`;
  });
  const plain = lettered.toLowerCase().replace(/[–—−]/g, '-').replace(/[’‘]/g, "'");
  return ALSO.reduce((text, [word, to]) => {
    // Without the global flag, as a test must not remember its position.
    const isOwn = own.some((name) => new RegExp(word.source).test(name) && !name.includes(to.trim()));
    return isOwn ? text : text.replace(word, to);
  }, plain);
}

/** Mentions of sections in a normalized line. */
export function sectionMentions(line: string, form: Form): Mention[] {
  const named = form.sections.map((s) => ({ ...s, plain: plainWords(s.name, { ...form, sections: [] }).trim() }));
  const kinds = new Map<string, (typeof named)[number][]>();
  for (const section of named) {
    const kind = kindOf(section.plain);
    if (kind) kinds.set(kind, [...(kinds.get(kind) ?? []), section]);
  }
  return [...kinds].flatMap(([kind, all]) => mentionsOf(line, kind, all));
}

function mentionsOf(line: string, kind: string, all: readonly (Bars & { readonly plain: string })[]): Mention[] {
  const numbered = all.some((s) => numberIn(s.plain) !== null);
  const nth = (n: number) => (numbered ? all.find((s) => (numberIn(s.plain) ?? 1) === n) : all[n - 1]);
  const form = new RegExp(
    String.raw`(?<![\w-])(?:(?<some>(?:first|last) ${COUNT}) |` +
      String.raw`(?<every>both|all|every|each)(?: of)?(?: the)? (?:${COUNT} )?|` +
      String.raw`(?<places>${PLACE}(?:${AND}(?:the )?${PLACE})*) )?` +
      `${escaped(kind)}(?<plural>e?s)?(?:${IS_LETTER_KIND.test(kind) ? '' : `${NUMBERS}|`}(?![\\w-]))`,
    'g',
  );
  return [...line.matchAll(form)].map((found): Mention => {
    const { some, every, places, plural, numbers } = found.groups!;
    const chosen = (): readonly (Bars | undefined)[] | null => {
      if (numbers) return numbersIn(numbers).map(nth);
      if (places) return places.split(new RegExp(AND)).map((p) => all[placeOf(p.replace(/^the /, ''), all.length)]);
      if (some) {
        const count = countOf(some.split(' ')[1]!);
        if (count > all.length) return [undefined];
        return some.startsWith('first') ? all.slice(0, count) : all.slice(-count);
      }
      if (every === 'both' && all.length !== 2) return [undefined];
      return plural || every || all.length === 1 ? all : null;
    };
    const picked = chosen();
    const sure = picked?.every((s) => s !== undefined) ? (picked as readonly Bars[]) : null;
    const each = all.map((s): readonly Bars[] => [s]);
    const readings = sure ? [sure] : [...each, ...(all.length > 1 ? [all] : [])];
    return { at: found.index, end: found.index + found[0].length, kind: 'section', readings, sure: sure !== null };
  });
}

/** "1 and 3" are those two, "1-3" all three. */
function numbersIn(text: string): number[] {
  const range = /^(\d+)\s*(?:-|to)\s*(\d+)$/.exec(text);
  if (!range) return (text.match(/\w+/g) ?? []).map(countOf).filter((n) => n > 0);
  const [first, last] = [Number(range[1]), Number(range[2])];
  return Array.from({ length: Math.max(0, last - first) + 1 }, (_, i) => first + i);
}
