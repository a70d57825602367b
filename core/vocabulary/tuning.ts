/** An A's frequency at a tuning in cents. */
export const hertzAt = (cents: number): number => 440 * 2 ** (cents / 1200);
/** The tuning in cents at which an A has a frequency. */
export const centsAt = (hertz: number): number => 1200 * Math.log2(hertz / 440);

const rounded = (value: number): number => Math.round(value * 10) / 10;
/** "12.6 cents sharp"; "in tune with 440 Hz" for less than a tenth. */
export function offWords(cents: number): string {
  const off = rounded(Math.abs(cents));
  return off === 0 ? 'in tune with 440 Hz' : `${off} ${off === 1 ? 'cent' : 'cents'} ${cents > 0 ? 'sharp' : 'flat'}`;
}
/**
 * An A in hertz, and how far that is from 440.
 * @example tuningWords(20) // 'A 445.1 Hz, 20 cents sharp'
 */
export const tuningWords = (cents: number): string => `A ${hertzWords(cents)}, ${offWords(cents)}`;
/** "445.1 Hz". */
export const hertzWords = (cents: number): string => `${rounded(hertzAt(cents))} Hz`;
