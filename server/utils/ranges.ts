/** Range of a file in bytes, both ends included. */
export interface ByteRange {
  readonly start: number;
  readonly end: number;
}

/**
 * Range of a Range header (RFC 9110, 14.2).
 * @returns undefined for the whole file: no range, several, or an invalid one; 'outside' for a range beyond the file
 */
export function rangeOf(header: string | undefined, length: number): ByteRange | 'outside' | undefined {
  const found = /^bytes=(\d*)-(\d*)$/.exec(header?.trim() ?? '');
  if (!found || (!found[1] && !found[2])) return undefined;
  const [, from, to] = found;
  if (!from) {
    const last = Number(to);
    return last === 0 || length === 0 ? 'outside' : { start: Math.max(0, length - last), end: length - 1 };
  }
  const start = Number(from);
  const end = to ? Math.min(Number(to), length - 1) : length - 1;
  if (to && Number(to) < start) return undefined;
  return start >= length ? 'outside' : { start, end };
}
