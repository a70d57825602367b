interface Phrase {
  readonly text: string;
  readonly control?: unknown;
}

/**
 * Phrases of a sentence, with punctuation after a button moved to its tail, so that it stays with it where the line
 * wraps.
 */
export const withPunctuation = <P extends Phrase>(phrases: readonly P[]): (P & { readonly tail: string })[] =>
  phrases.map((phrase, i) => {
    const starts = (text = ''): string => /^[,.;:]/.exec(text)?.[0] ?? '';
    const tail = phrase.control ? starts(phrases[i + 1]?.text) : '';
    const taken = !phrase.control && phrases[i - 1]?.control ? starts(phrase.text).length : 0;
    return { ...phrase, tail, text: phrase.text.slice(taken) };
  });
