/** A piece of a file, in bytes, both ends included. */
export interface ByteRange {
  readonly start: number;
  readonly end: number;
}

/**
 * The one piece that a Range header asks for (RFC 9110, 14.2).
 * @returns undefined for the whole: nothing was asked for, several pieces, or something that is no range of bytes;
 * 'outside' where the file has nothing there
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
