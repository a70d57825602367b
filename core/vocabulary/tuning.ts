/** Frequency of an A in hertz, at a tuning in cents. */
export const hertzAt = (cents: number): number => 440 * 2 ** (cents / 1200);
/** Tuning in cents, from the frequency of an A in hertz. */
export const centsAt = (hertz: number): number => 1200 * Math.log2(hertz / 440);

const rounded = (value: number): number => Math.round(value * 10) / 10;
/** Words such as "12.6 cents sharp"; "in tune with 440 Hz" below a tenth of a cent. */
export function offWords(cents: number): string {
  const off = rounded(Math.abs(cents));
  return off === 0 ? 'in tune with 440 Hz' : `${off} ${off === 1 ? 'cent' : 'cents'} ${cents > 0 ? 'sharp' : 'flat'}`;
}
/**
 * Words for the frequency of an A and its distance from 440 Hz.
 * @example tuningWords(20) // 'A 445.1 Hz, 20 cents sharp'
 */
export const tuningWords = (cents: number): string => `A ${hertzWords(cents)}, ${offWords(cents)}`;
/** Frequency such as "445.1 Hz". */
export const hertzWords = (cents: number): string => `${rounded(hertzAt(cents))} Hz`;
