import { countedMentions, numberedMentions, timedMentions, wholeMentions } from './barMentions';
import { sameBars, united, type Bars, type Form, type Mention } from './meant';
import { plainWords, sectionMentions } from './sectionMentions';
import { inItsPlace } from './surroundings';

/** Bars that a line means, or a choice of them. */
export interface Meant {
  /** Ranges in order; empty where they are uncertain. */
  readonly bars: readonly Bars[];
  /** Ranges that may be meant, the likeliest first; empty where they are certain. */
  readonly choices: readonly (readonly Bars[])[];
}

/** Most choices. */
const MOST = 12;
/** Words between two mentions that make one a part of the other. */
const INSIDE = /^\s*[,:(-]?\s*(?:(?:of|in|from|on|within|inside|at) )?(?:the |each of the )?$/;
const THROUGH = /^\s*(?:-|to|through|until|till|up to)\s*(?:the )?$/;
const AN_EXAMPLE = new RegExp(
  String.raw`\b(?:like|as|same as|than|similar to|instead of|rather than|compared? (?:to|with)|` +
    String.raw`cf\.?|match(?:es|ing)?|cop(?:y|ied)(?: it)? from)` +
    String.raw`(?: (?:in|at|on|you (?:did|do|play|played)(?: it)?(?: in)?))?(?: the)?\s*$`,
);
/** Words between two mentions that list both. */
const LISTED = /^\s*(?:[,&+/(]|and|or|\)|,\s*and)?\s*(?:(?:on|in|at|also|(?:the )?beat \d (?:of|in)) )*(?:the )?$/;

/** Mentions without overlapping ones: the earlier or more specific stays. */
function withoutOverlaps(all: readonly Mention[]): Mention[] {
  const kept: Mention[] = [];
  for (const one of [...all].sort((a, b) => b.end - b.at - (a.end - a.at) || a.at - b.at))
    if (kept.every((k) => one.end <= k.at || one.at >= k.end)) kept.push(one);
  return kept.sort((a, b) => a.at - b.at);
}

const isWithin = (b: Bars, all: readonly Bars[]): boolean => all.some((s) => b.first >= s.first && b.last <= s.last);
const insideOf = (ranges: readonly Bars[], part: Mention): Bars[] | null => {
  const found = ranges.map((s) => part.within!(s));
  return found.every((f) => f !== null) ? (found as Bars[]) : null;
};

/** Mention inside another, such as "third bar of the bridge". */
function partOf(part: Mention, section: Mention): Mention {
  const place = { at: Math.min(part.at, section.at), end: Math.max(part.end, section.end), kind: 'section' as const };
  const inside = section.readings.flatMap((r) => {
    const found = insideOf(r, part);
    return found ? [found] : [];
  });
  if (part.kind === 'part of it')
    return {
      ...place,
      readings: inside.length > 0 ? inside : section.readings,
      sure: section.sure && inside.length > 0,
    };
  // A number may also be counted from the start of the song, where that bar is in the section.
  const absolute = part.readings.filter((r) => r.every((b) => isWithin(b, section.readings.flat())));
  const readings = [...absolute, ...inside.filter((r) => !absolute.some((a) => sameBars(a, r)))];
  if (readings.length === 0) return { ...place, readings: [...part.readings, ...section.readings], sure: false };
  return { ...place, readings, sure: readings.length === 1 && section.sure };
}

/** Mention from one to another, such as "from the bridge to the last chorus". */
function through(from: Mention, to: Mention, gap: string): Mention {
  const readings = from.readings.flatMap((a) =>
    to.readings.flatMap((b) => {
      const [first, last] = [a[0]!.first, b.at(-1)!.last];
      return last >= first ? [[{ first, last }]] : [];
    }),
  );
  const sure = from.sure && to.sure && readings.length === 1 && !/until|till|up to/.test(gap);
  return { at: from.at, end: to.end, kind: 'section', readings, sure };
}

/** Mention that two others form together, if they do. */
function oneOf(before: Mention, one: Mention, gap: string): Mention | null {
  const isPart = (part: Mention, section: Mention) => part.within !== undefined && section.kind === 'section';
  if (INSIDE.test(gap) && isPart(before, one)) return partOf(before, one);
  if (INSIDE.test(gap) && gap !== '' && isPart(one, before)) return partOf(one, before);
  return THROUGH.test(gap) && before.readings[0] && one.readings[0] ? through(before, one, gap) : null;
}

/** "The outro (bar 61)" means that bar: a section is dropped where something inside it is named too. */
function withoutWider(all: readonly Mention[]): Mention[] {
  const isIn = (inner: Mention, outer: Mention): boolean =>
    inner.sure && outer.sure && inner.readings[0]!.every((b) => isWithin(b, outer.readings[0]!));
  return all.filter((m) => m.kind !== 'section' || !all.some((o) => o !== m && o.kind !== 'section' && isIn(o, m)));
}

function joined(mentions: readonly Mention[], line: string): Mention[] {
  return mentions.reduce<Mention[]>((made, one) => {
    const before = made.at(-1);
    const together = before ? oneOf(before, one, line.slice(before.end, one.at)) : null;
    return together ? [...made.slice(0, -1), together] : [...made, one];
  }, []);
}

/**
 * Reads which bars a line of a client's note means: numbers, names of sections, times.
 * @param line a sentence or two
 * @returns never bars that are not sure, and never more than a dozen choices
 * @example barsMeant('bars 3 and 4 too busy', { bars: 8, sections: [], barAt: () => 1, played: { first: 1, last: 8 } })
 * // { bars: [{ first: 3, last: 4 }], choices: [] }
 */
export function barsMeant(line: string, form: Form): Meant {
  const text = plainWords(line, form);
  const found = withoutOverlaps([
    ...numberedMentions(text, form),
    ...countedMentions(text, form),
    ...sectionMentions(text, form),
    ...timedMentions(text, form),
    ...wholeMentions(text, form),
  ]);
  const all = joined(found, text);
  const isExample = (m: Mention): boolean => AN_EXAMPLE.test(text.slice(0, m.at));
  const own = all.some((m) => !isExample(m)) ? all.filter((m) => !isExample(m)) : all;
  // Words for the whole song count only where no other place is named.
  const narrow = own.some((m) => m.kind !== 'whole') ? own.filter((m) => m.kind !== 'whole') : own;
  const meant = withoutWider(narrow.map((m) => inItsPlace(m, text, form)));
  const listed = meant.every((m, i) => i === 0 || LISTED.test(text.slice(meant[i - 1]!.end, m.at)));
  if (meant.length > 0 && meant.every((m) => m.sure) && listed && narrow.length === own.length && !own.every(isExample))
    return { bars: united(meant.flatMap((m) => m.readings[0]!)), choices: [] };
  const whole: readonly Bars[] = [{ first: 1, last: form.bars }];
  const likeliest = united(meant.flatMap((m) => m.readings[0] ?? []));
  const offered = [...(likeliest.length > 0 ? [likeliest] : []), ...meant.flatMap((m) => m.readings), whole];
  return { bars: [], choices: offered.filter((c, i) => offered.findIndex((o) => sameBars(o, c)) === i).slice(0, MOST) };
}
