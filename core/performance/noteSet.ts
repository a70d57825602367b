import { fromByteArray, toByteArray } from 'base64-js';
import { z } from 'zod';
import { id } from '../vocabulary/fields';
import { layerOfNote, type Note } from './notes';

/**
 * Set of notes by where they come from (a layer, or notes that were added by hand), their ordinals there. Written as
 * runs, "0-5,9,12-40", or, where that is shorter, as a bitmap: "=" and the bits, least first, as base64. A change to
 * ten thousand notes stays small.
 */
export type NoteSet = Readonly<Record<string, string>>;

/**
 * Ordinal of a note within its source: the digits at the end of its id.
 * @example ordinalOf({ id: 'layer:12' }) // 12
 */
export function ordinalOf({ id }: Pick<Note, 'id'>): number {
  // Read digit by digit: substrings for ten thousand notes would take several times as long.
  let [ordinal, unit] = [0, 1];
  for (let i = id.length - 1; i >= 0; i -= 1) {
    const figure = id.charCodeAt(i) - 48;
    if (figure < 0 || figure > 9) break;
    ordinal += figure * unit;
    unit *= 10;
  }
  return ordinal;
}

/** Largest ordinal in a set. */
const MOST_ORDINAL = 1_000_000;

function runs(ordinals: readonly number[]): string {
  const words: string[] = [];
  for (let i = 0; i < ordinals.length;) {
    let last = i;
    while (ordinals[last + 1] === ordinals[last]! + 1) last += 1;
    words.push(last > i ? `${ordinals[i]}-${ordinals[last]}` : String(ordinals[i]));
    i = last + 1;
  }
  return words.join(',');
}

function bitmap(ordinals: readonly number[]): string {
  const bytes = new Uint8Array(Math.floor(ordinals.at(-1)! / 8) + 1);
  for (const n of ordinals) bytes[n >> 3]! |= 1 << (n & 7);
  return `=${fromByteArray(bytes)}`;
}

/** Ordinals as text: runs, or a bitmap. */
export const noteSetSchema: z.ZodType<NoteSet> = z.record(
  id,
  z
    .string()
    .max(400_000)
    .regex(/^(=[\w+/]*=*|\d{1,7}(-\d{1,7})?(,\d{1,7}(-\d{1,7})?)*)$/),
);

/**
 * The set of these notes.
 * @example noteSet([{ id: 'a:0' }, { id: 'a:1' }, { id: 'b:7' }]) // { a: '0-1', b: '7' }
 */
export function noteSet(notes: Iterable<Pick<Note, 'id'>>): NoteSet {
  const bySource = new Map<string, number[]>();
  let [source, own]: [string | null, number[]] = [null, []];
  for (const note of notes) {
    // Most notes have the same source as the one before.
    if (source === null || note.id.lastIndexOf(':') !== source.length || !note.id.startsWith(source)) {
      source = layerOfNote(note);
      own = bySource.get(source) ?? [];
      bySource.set(source, own);
    }
    own.push(ordinalOf(note));
  }
  return Object.fromEntries(
    [...bySource].map(([source, given]) => {
      const ordinals = [...Uint32Array.from(given).sort()].filter((n, i, all) => n !== all[i - 1]);
      const asRuns = runs(ordinals);
      const bits = ordinals.at(-1)! / 6;
      return [source, asRuns.length <= bits ? asRuns : shorter(asRuns, bitmap(ordinals))];
    }),
  );
}
const shorter = (a: string, b: string): string => (b.length < a.length ? b : a);

/**
 * Ordinals of a set for one source, in rising order; empty for damaged text.
 * @example ordinalsOf('0-2,9') // [0, 1, 2, 9]
 */
export function ordinalsOf(words: string): number[] {
  const ordinals: number[] = [];
  if (words.startsWith('=')) {
    try {
      toByteArray(words.slice(1)).forEach((byte, i) => {
        for (let bit = 0; bit < 8; bit += 1) if (byte & (1 << bit)) ordinals.push(i * 8 + bit);
      });
    } catch {
      // Damaged text refers to no note.
      return [];
    }
    return ordinals;
  }
  for (const run of words.split(',')) {
    const [from, to = from] = run.split('-').map((n) => (n === '' ? NaN : Number(n)));
    if (!Number.isInteger(from) || !Number.isInteger(to) || to! > MOST_ORDINAL) continue;
    for (let n = from!; n <= to!; n += 1) ordinals.push(n);
  }
  return ordinals;
}

/** Ids of the notes in a set. @example idsOf({ a: '0-1' }) // ['a:0', 'a:1'] */
export const idsOf = (set: NoteSet): string[] =>
  Object.entries(set).flatMap(([source, words]) => ordinalsOf(words).map((n) => `${source}:${n}`));

/**
 * Set split into the notes of one source and the others.
 * @example splitSet({ a: '0', b: '1' }, 'a') // { own: { a: '0' }, others: { b: '1' } }
 */
export function splitSet(set: NoteSet, source: string): { readonly own: NoteSet; readonly others: NoteSet } {
  const { [source]: words, ...others } = set;
  return { own: words === undefined ? {} : { [source]: words }, others };
}

/** Set with renamed sources. */
export const renamedSet = (set: NoteSet, renamed: (source: string) => string): NoteSet =>
  Object.fromEntries(Object.entries(set).map(([source, words]) => [renamed(source), words]));

/** Packs small integers, one for each note of a set, as base64 of zigzag varints (protocol buffers' encoding). */
export function packNumbers(numbers: readonly number[]): string {
  const bytes: number[] = [];
  for (const n of numbers) {
    let rest = n < 0 ? -2 * n - 1 : 2 * n;
    while (rest >= 128) {
      bytes.push((rest % 128) | 128);
      rest = Math.floor(rest / 128);
    }
    bytes.push(rest);
  }
  return fromByteArray(Uint8Array.from(bytes));
}

/** Inverse of `packNumbers`; empty for damaged text. */
export function unpackNumbers(packed: string): number[] {
  let bytes: Uint8Array;
  try {
    bytes = toByteArray(packed);
  } catch {
    // Damaged text refers to no note.
    return [];
  }
  const numbers: number[] = [];
  let [value, scale] = [0, 1];
  for (const byte of bytes) {
    value += (byte & 127) * scale;
    scale *= 128;
    if (byte & 128) continue;
    numbers.push(value % 2 === 1 ? -(value + 1) / 2 : value / 2);
    [value, scale] = [0, 1];
  }
  return numbers;
}
