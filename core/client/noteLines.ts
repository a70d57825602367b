import { barsMeant } from './barsMeant';
import type { Form } from './meant';

const BULLET = /^\s*(?:[-*•·–—]+|\(?[a-z]\)|>)\s+/i;
const NUMBERED = /^\s*\(?(\d{1,3})[.):]\s+/;
/** Lines of greeting, thanks or signature without a mention of bars. */
const POLITE = new RegExp(
  `^(?:${[
    'hi|hello|hey|dear|good (?:morning|afternoon|evening)|thanks?|thank you|many thanks|cheers|best|all the best',
    'kind regards|regards|yours|ok|okay|(?:great|nice|lovely|good) (?:work|job|stuff|one)|love it|sounds? great',
    'lovely|perfect|beautiful|brilliant|wonderful|excellent|amazing|fantastic',
    '(?:my )?notes?|notes? (?:on|for) .{0,30}',
  ].join('|')})\\b[^.;:]{0,40}[,.!:]?$`,
  'i',
);

export interface NoteLine {
  readonly text: string;
  /** True for a greeting or thanks, which is shown and added only on request. */
  readonly polite: boolean;
}

/** Numbering of lines, "1." to "n."; a single number may be a bar's. */
function withoutNumbers(lines: readonly string[]): string[] {
  const numbers = lines.map((line) => NUMBERED.exec(line)?.[1]).flatMap((n) => (n ? [Number(n)] : []));
  const counts = numbers.length > 1 && numbers.every((n, i) => n === numbers[0]! + i) && numbers[0]! <= 1;
  return counts ? lines.map((line) => line.replace(NUMBERED, '')) : [...lines];
}

/**
 * Splits a client's text into notes: a line each, and each part of a line with a place of its own. Parts without a
 * place belong to the one before.
 */
export function noteLines(text: string, form: Form): NoteLine[] {
  const lines = withoutNumbers(
    text
      .split(/\r\n?|\n/)
      .map((line) => line.replace(BULLET, '').trim())
      .filter((line) => /[\p{L}\d]/u.test(line)),
  );
  return lines.flatMap((line): NoteLine[] => {
    if (POLITE.test(line) && !namesBars(line, form)) return [{ text: line, polite: true }];
    const notes: string[] = [];
    for (const piece of line.split(/\s*;\s+|(?<=[a-z)”"][.!?])\s+(?=[A-Z\d“"])/u)) {
      if (!piece) continue;
      const before = notes.at(-1);
      if (before !== undefined && !namesBars(piece, form))
        notes.splice(-1, 1, `${before}; ${piece}`.replace(/([.!?]); /, '$1 '));
      else notes.push(piece);
    }
    return notes.map((note) => ({ text: note, polite: false }));
  });
}

const namesBars = (line: string, form: Form): boolean => {
  const { bars, choices } = barsMeant(line, form);
  return bars.length > 0 || choices.length > 1;
};
