const NUMBER = String.raw`(\d{2,3}(?:[.,]\d{1,3})?)`;
/** Forms of a tempo: "96 bpm", "tempo: 96", "♩ = 96", "quarter = 96". */
const SAID = new RegExp(
  String.raw`(?<![\d.,])${NUMBER}\s*bpm\b|\btempo\s*(?:is|of|at)?\s*[:=]?\s*${NUMBER}(?![\d.,]*\s*%)` +
    String.raw`|(?:[♩♪]\.?|\b(?:quarter|crotchet)(?: note)?)\s*=\s*${NUMBER}`,
  'giu',
);
const SLOWEST = 20;
const FASTEST = 400;

/**
 * Tempo in a client's text, in beats a minute; null for none or several.
 * @example toldTempo('Slow and warm, 72 bpm.') // 72
 */
export function toldTempo(text: string): number | null {
  const said = new Set([...text.matchAll(SAID)].map(([, ...found]) => Number(found.find(Boolean)!.replace(',', '.'))));
  const [only] = said;
  return said.size === 1 && only! >= SLOWEST && only! <= FASTEST ? only! : null;
}
