const COUNTS = [
  ...['one', 'two', 'three', 'four', 'five', 'six', 'seven', 'eight', 'nine', 'ten'],
  ...['eleven', 'twelve', 'thirteen', 'fourteen', 'fifteen', 'sixteen', 'seventeen', 'eighteen', 'nineteen', 'twenty'],
];
const PLACES = [
  ...['first', 'second', 'third', 'fourth', 'fifth', 'sixth', 'seventh', 'eighth', 'ninth', 'tenth'],
  ...['eleventh', 'twelfth'],
];

/** Regular expressions in lower case for a number, in digits or words, and for an ordinal. */
export const COUNT = String.raw`(?:\d{1,4}|${COUNTS.join('|')})(?!\w)`;
export const PLACE =
  String.raw`(?:\d{1,3}(?:st|nd|rd|th)|${PLACES.join('|')}|` + String.raw`last|final|penultimate|next to last)(?!\w)`;

/** "12" and "twelve" are 12. */
export const countOf = (text: string): number => (/^\d/.test(text) ? parseInt(text) : COUNTS.indexOf(text) + 1);

/** Index of "second" or "last" among some number; -1 where there are too few. */
export function placeOf(text: string, of: number): number {
  if (text === 'last' || text === 'final') return of - 1;
  if (text === 'penultimate' || text === 'next to last') return of - 2;
  const place = /^\d/.test(text) ? parseInt(text) : PLACES.indexOf(text) + 1;
  return place <= of ? place - 1 : -1;
}
