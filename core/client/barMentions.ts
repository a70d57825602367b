import type { Seconds } from '../time/units';
import type { Bars, Form, Mention } from './meant';
import { COUNT, countOf, PLACE, placeOf } from './numberWords';

/** Words for a bar: "bar", "bars", "measure", "m.", "mm.", "b."; the short ones stand right before a number. */
const BAR = String.raw`(?:(?:bars?|measures?|meas\.?)(?: (?:nos?\.?|numbers?))? ?#?|(?:mm?|bb?)\.? ?(?=\d))`;
const TO = String.raw`\s*(?:-|to|through|thru|until|till)\s*`;
const AND = String.raw`\s*(?:,\s*and|,|and|&|\+|\/|or)\s*`;
/** Nouns after which a number is not a bar's. */
const OTHERS =
  String.raw`(?:st|nd|rd|th|db|beats?|times?|ms|bpm|%|semitones?|tones?|notes?|takes?|octaves?|cents?|quarters?|` +
  String.raw`eighths?|sixteenths?|seconds?|sec|s|bars?|or|more|of)(?!\w)`;
/** Number of a bar, with a beat that is ignored. */
const NUMBER = String.raw`\d{1,4}(?:[.·]\d{1,2}(?!\d))?(?!\d|:\d)`;
const MORE = String.raw`(?:${AND}(?:${BAR})?${NUMBER}(?! ?${OTHERS})(?:${TO}(?:${BAR})?${NUMBER})?)*`;
const NUMBERED = new RegExp(
  String.raw`(?<![\w-])(?<between>between )?${BAR} ?(?:(?<word>${COUNT})(?<!\d)` +
    String.raw`(?:(?<through>${TO})?(?:${AND})?(?<other>${COUNT})(?<!\d))?|` +
    String.raw`(?<list>${NUMBER}(?:${TO}(?:${BAR})?${NUMBER})?${MORE}))(?<ff> ?ff\b)?`,
  'g',
);
/** Number that may be a bar's: at the start of the line, or where one would stand. */
const BARE = new RegExp(
  String.raw`(?:^\s*(?<start>${NUMBER}(?:${TO}${NUMBER})?)(?<colon>\s*:)?(?!\s*${OTHERS})|` +
    String.raw`(?<![\w-])(?:at|around|in|@|#) ?(?<placed>${NUMBER}(?:-${NUMBER})?)(?! ?${OTHERS}|[\w%-]))`,
  'g',
);
const ITEM = new RegExp(String.raw`(${NUMBER})(?:${TO}(?:${BAR})?(${NUMBER}))?`, 'g');

function barsIn(list: string): Bars[] {
  return [...list.matchAll(ITEM)].map(([, from, to]) => {
    const [a, b] = [parseInt(from!), parseInt(to ?? from!)];
    // "bars 117-20" means 117 to 120.
    const last = b < a && to!.length < from!.length ? Number(from!.slice(0, -to!.length) + to) : b;
    return { first: Math.min(a, last), last: Math.max(a, last) };
  });
}

/** Bars with their numbers: "bars 3, 7 and 9-12", "bar twelve", "12: too busy". */
export function numberedMentions(line: string, { bars }: Form): Mention[] {
  const isThere = (b: Bars) => b.first >= 1 && b.last <= bars;
  const mention = (found: RegExpExecArray, all: readonly Bars[], sure: boolean): Mention => ({
    ...{ at: found.index, end: found.index + found[0].length, kind: 'bars' },
    readings: all.every(isThere) ? [all] : [],
    sure: sure && all.every(isThere),
    // Inside a section it may be counted from the section's start.
    within: ({ first, last }) => {
      const [only] = all;
      const inside = only && { first: first + only.first - 1, last: first + only.last - 1 };
      return inside && all.length === 1 && inside.last <= last ? inside : null;
    },
  });
  const numbered = [...line.matchAll(NUMBERED)].map((found) => {
    const { between, word, other, through, list, ff } = found.groups!;
    if (word) {
      const [first, last] = [countOf(word), countOf(other ?? word)];
      const single = (bar: number): Bars => ({ first: bar, last: bar });
      return mention(found, through ? [{ first, last }] : [single(first), single(last)], first <= last);
    }
    const all = barsIn(list!);
    if (between && all.length === 2) return mention(found, [{ first: all[0]!.first, last: all[1]!.last }], true);
    if (ff) return mention(found, [{ first: all.at(-1)!.first, last: bars }], false);
    return mention(found, all, true);
  });
  const bare = [...line.matchAll(BARE)].map((found) =>
    mention(found, barsIn(found.groups!.start ?? found.groups!.placed!), Boolean(found.groups!.colon)),
  );
  return [...numbered, ...bare];
}

const COUNTED = new RegExp(
  String.raw`(?<![\w-])(?:(?<end>first|last|final|opening|closing) (?:(?<count>${COUNT}) )?bars?|` +
    String.raw`(?<place>${PLACE}) (?:bar|measure)|` +
    String.raw`(?<note>first|last|final|opening|closing) (?:\w+ )?(?:note|chord|hit|key|beat|stab))(?!\w)`,
  'g',
);

/** Bars counted from an end: "last two bars", "third bar", "the last note". */
export function countedMentions(line: string, form: Form): Mention[] {
  return [...line.matchAll(COUNTED)].map((found): Mention => {
    const { end, count, place, note } = found.groups!;
    const isFirst = (word: string): boolean => word === 'first' || word === 'opening';
    const within = ({ first, last }: Bars): Bars | null => {
      const length = last - first + 1;
      if (end) {
        const many = count ? countOf(count) : 1;
        if (many > length) return null;
        return isFirst(end) ? { first, last: first + many - 1 } : { first: last - many + 1, last };
      }
      const index = placeOf(place ?? (isFirst(note!) ? 'first' : 'last'), length);
      return index < 0 ? null : { first: first + index, last: first + index };
    };
    const whole = within(note ? form.played : { first: 1, last: form.bars });
    return {
      ...{ at: found.index, end: found.index + found[0].length, kind: 'part of it', within },
      readings: whole ? [[whole]] : [],
      sure: whole !== null,
    };
  });
}

/** Times: "1:23", "1'23", "1m23s"; "83 s" only after "at". */
const TIME = String.raw`(?:(?<!\d)\d{1,2}[:']\d{2}(?:[.,]\d{1,3})?"?|\d{1,2} ?m(?:in)? ?\d{1,2} ?s(?:ec)?)(?!\d)`;
const TIMED = new RegExp(
  String.raw`(?<time>${TIME})(?:\s*(?:-|to|until|till|and)\s*(?<to>${TIME}))?|` +
    String.raw`(?<=\bat |around |about )(?<seconds>\d{1,3}) ?(?:s|sec|seconds)(?: in)?\b`,
  'g',
);
function secondsIn(text: string): Seconds {
  const [minutes, seconds] = text.match(/\d+(?:[.,]\d+)?/g)!;
  return seconds === undefined ? Number(minutes) : 60 * Number(minutes) + Number(seconds.replace(',', '.'));
}

/** Mentions of times in the song, from the start of bar 1. */
export function timedMentions(line: string, form: Form): Mention[] {
  return [...line.matchAll(TIMED)].map((found): Mention => {
    const { time, to, seconds } = found.groups!;
    const first = form.barAt(secondsIn(time ?? seconds!));
    // A range that ends on a bar line does not include the bar after it.
    const last = to ? Math.max(first, form.barAt(secondsIn(to) - 1e-3)) : first;
    const isThere = first >= 1 && last <= form.bars;
    return {
      ...{ at: found.index, end: found.index + found[0].length, kind: 'time' },
      readings: isThere ? [[{ first, last }]] : [],
      sure: isThere,
    };
  });
}

const WHOLE = new RegExp(
  String.raw`\b(?:(?:the )?(?:whole|entire|complete) (?:song|piece|track|thing|tune|part|take)|throughout|overall|` +
    String.raw`in general|generally|everywhere|globally|all (?:the way )?through|` +
    String.raw`from (?:start|beginning) to (?:finish|end)|` +
    String.raw`(?:the )?song as a whole)\b`,
  'g',
);

export const wholeMentions = (line: string, { bars }: Form): Mention[] =>
  [...line.matchAll(WHOLE)].map((found) => ({
    ...{ at: found.index, end: found.index + found[0].length, kind: 'whole', sure: true },
    readings: [[{ first: 1, last: bars }]],
  }));
