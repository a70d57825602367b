const UNITS = ['B', 'kB', 'MB', 'GB', 'TB'];

/**
 * A number of bytes in words.
 * @example byteWords(14_563_174) // '14.6 MB'
 */
export function byteWords(bytes: number): string {
  const step = Math.min(UNITS.length - 1, Math.floor(Math.log10(Math.max(1, bytes)) / 3));
  return `${(bytes / 1000 ** step).toFixed(step > 1 ? 1 : 0)} ${UNITS[step]}`;
}
