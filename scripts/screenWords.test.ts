import { describe, expect, it } from 'vitest';
import { screenWords } from './screenWords';

const all = screenWords();
/** Words that a player need not know, each with the one that is used. */
const GONE: readonly (readonly [gone: RegExp, now: string])[] = [
  [/\bstrikes?\b/i, 'note'],
  [/\berrands?\b/i, 'request'],
  [/\bway (in|out)\b/i, 'input latency, output latency'],
  [/\bwav(e|ed|ing) (it |a check )?through\b/i, 'accept'],
  [/\bat home\b/i, 'left out'],
  [/\bpencil/i, 'outlined, not used'],
  [/\bstretch(es)?\b/i, 'bars, passage'],
  [/\b(chosen|choose) (the |some )?(notes|bars|take|keyboard)\b/i, 'selected'],
  [/\blet(ting)? go\b/i, 'release, discard, clear, reset, deselect'],
];
/** Commands and edits, whose stored names are not shown. */
const STORED: readonly RegExp[] = [/^wave through$/, /^let go$/, /^put stretches$/];

describe('words on screen', () => {
  it('are found in templates, stores and core', () => {
    expect(all.length).toBeGreaterThan(2000);
    const words = all.map((w) => w.words);
    expect(words).toEqual(expect.arrayContaining(['Quantize these bars', 'No part is armed.']));
  });

  it('have no exclamation marks', () => {
    expect(all.filter(({ words }) => /[a-z]!($|\s)/.test(words))).toEqual([]);
  });

  it('are the trade’s', () => {
    const found = all
      .filter(({ words }) => !STORED.some((stored) => stored.test(words)))
      .flatMap(({ file, words }) =>
        GONE.filter(([gone]) => gone.test(words)).map(([, now]) => `${file}: “${words}”: ${now}`),
      );
    expect(found).toEqual([]);
  });
});
