import type { ClientNote } from '../document/clientNote';
import type { SongDocument } from '../document/document';
import { fingerprint } from '../document/take';
import type { Bars, Form } from './meant';

/** Fingerprints of a song's bars, by part (`partFingerprints`). */
export type SongFingerprints = ReadonlyMap<string, readonly string[]>;

/** Fingerprints at the last hand-over; of parts that were not handed over, as they are now. */
export const fingerprintsThen = ({ parts }: SongDocument, now: SongFingerprints): SongFingerprints =>
  new Map([...now].map(([id, fingerprints]) => [id, parts.find((p) => p.id === id)?.handed?.bars ?? fingerprints]));

/** Fingerprint of some bars, of all parts together. */
export function fingerprintOfBars(bars: readonly Bars[], fingerprints: SongFingerprints): string {
  const heard = [...fingerprints].map(
    ([id, all]) => [id, bars.flatMap(({ first, last }) => all.slice(first - 1, last))] as const,
  );
  return fingerprint(JSON.stringify(heard.filter(([, all]) => all.some(Boolean)).sort()));
}

/** Test for an open note whose bars have changed since it came: it may be done. */
export const mayBeDone = ({ done, bars, heard }: ClientNote, fingerprints: SongFingerprints): boolean =>
  done === null && bars !== null && heard !== fingerprintOfBars(bars, fingerprints);

/** Words such as "the whole song", "Chorus 2", "bars 3–4 and 7"; empty for unknown bars. */
export function noteBarsWords(bars: readonly Bars[] | null, form: Pick<Form, 'bars' | 'sections'>): string {
  if (!bars) return '';
  const [only] = bars;
  if (bars.length === 1 && only!.first === 1 && only!.last >= form.bars) return 'the whole song';
  // A name that several sections share is ambiguous.
  const isOnce = (name: string) => form.sections.filter((s) => s.name === name).length === 1;
  const named = bars.map(
    (b) => form.sections.find((s) => s.first === b.first && s.last === b.last && isOnce(s.name))?.name,
  );
  if (named.every(Boolean)) return named.join(' and ');
  const numbers = bars.map(({ first, last }) => (first === last ? `${first}` : `${first}–${last}`));
  const all = [numbers.slice(0, -1).join(', '), numbers.at(-1)].filter(Boolean).join(' and ');
  return /^\d+$/.test(all) ? `bar ${all}` : `bars ${all}`;
}

/** Notes that a version answers: open ones, and those done since the version before. */
export const answeredIn = (notes: readonly ClientNote[], version: number): readonly ClientNote[] =>
  notes.filter(({ done }) => done === null || done.in === null || done.in === version);
