import { united, type Bars, type Form, type Mention } from './meant';

const HALF = /\b(first|second|last|other) half (?:of|in) (?:the )?$/;
const FROM = /\bfrom(?: the)?\s*$/;
/** Words that extend a mention to the end; a bare "on" only after "from". */
const ON = /^\s*(?:onwards?\b|on(?=\s*[,.:;]|\s*$)|and on\b|(?:through )?(?:to|till|until|-) ?(?:the )?end\b)/;
/** Words before a range of which the transition in its middle is meant. */
const TRANSITION = /\b(?:transition|changeover|change|step|join|move|moving|going)(?: from)?(?: the)?\s*$/;
const BARE_ON = /^\s*on\b/;
/** Mention that gives both of its ends. */
const A_RANGE = /-|\b(?:to|through|thru|until|till|and)\b/;

type Range = (bars: Bars, form: Form) => Bars;
const itself: Range = (bars) => bars;
const atStart =
  (count: number): Range =>
  ({ first, last }) => ({ first, last: Math.min(last, first + count - 1) });
const atEnd =
  (count: number): Range =>
  ({ first, last }) => ({ first: Math.max(first, last - count + 1), last });
const restOfSection: Range = ({ first }, { sections, bars }) => ({
  first,
  last: sections.find((s) => s.first <= first && first <= s.last)?.last ?? bars,
});

/** Words before a mention that may make it mean other bars, each with those. */
const MAY_MEAN: readonly (readonly [RegExp, readonly Range[]])[] = [
  [/\b(?:start|beginning|top|opening) of (?:the )?$/, [atStart(1), atStart(2), itself]],
  [/\b(?:end|close|tail) of (?:the )?$/, [atEnd(1), atEnd(2), itself]],
  [FROM, [restOfSection, ({ first }, { bars }) => ({ first, last: bars }), itself]],
  [
    /\b(?:before|ahead of|leading (?:in)?to|into|pick-? ?up (?:to|into))(?: the)?\s*$/,
    [({ first }) => ({ first: first - 1, last: first - 1 }), itself, ({ first, last }) => ({ first: first - 1, last })],
  ],
  [
    /\b(?:until|till|up to)(?: the)?\s*$/,
    [({ last }) => ({ first: 1, last }), ({ first }) => ({ first: 1, last: first - 1 }), itself],
  ],
  [
    /\b(?:after|following)(?: the)?\s*$/,
    [
      ({ last }) => ({ first: last + 1, last: last + 1 }),
      ({ last }, { bars }) => ({ first: last + 1, last: bars }),
      itself,
    ],
  ],
  [/\b(?:except|apart from|other than|excluding|outside|but not|not)(?: (?:in|for|at))?(?: the)?\s*$/, [itself]],
];

/** Mention changed by the words around it: "the bar before the chorus", "from bar 12 on". */
export function inItsPlace(one: Mention, line: string, form: Form): Mention {
  const [before, after] = [line.slice(0, one.at), line.slice(one.end)];
  const each = (to: Range): (readonly Bars[])[] => one.readings.map((r) => united(r.map((b) => to(b, form))));
  const half = one.kind === 'section' ? HALF.exec(before)?.[1] : undefined;
  if (half)
    return {
      ...one,
      readings: each(({ first, last }) => {
        const middle = first + Math.ceil((last - first + 1) / 2);
        return half === 'first' ? { first, last: middle - 1 } : { first: Math.min(middle, last), last };
      }),
    };
  if (ON.test(after) || (FROM.test(before) && BARE_ON.test(after)))
    return { ...one, readings: each(({ first }) => ({ first, last: form.bars })) };
  if (TRANSITION.test(before)) return { ...one, sure: false };
  if (FROM.test(before) && A_RANGE.test(line.slice(one.at, one.end))) return one;
  const may = MAY_MEAN.find(([words]) => words.test(before));
  if (!may) return one;
  const isThere = (all: readonly Bars[]) => all.every((b) => b.first >= 1 && b.first <= b.last && b.last <= form.bars);
  return { ...one, readings: may[1].flatMap(each).filter(isThere), sure: false };
}
