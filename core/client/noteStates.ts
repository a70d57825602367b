import type { ClientNote } from '../document/clientNote';
import type { SongDocument } from '../document/document';
import { fingerprint } from '../document/take';
import type { Bars, Form } from './meant';

/** Fingerprints of what each bar of a song sounds like, by part (`partFingerprints`). */
export type SongFingerprints = ReadonlyMap<string, readonly string[]>;

/** The same when something went out, of parts that did; what has not is as it is now. */
export const fingerprintsThen = ({ parts }: SongDocument, now: SongFingerprints): SongFingerprints =>
  new Map([...now].map(([id, fingerprints]) => [id, parts.find((p) => p.id === id)?.handed?.bars ?? fingerprints]));

/** Fingerprint of what some bars sound like, in all parts together. */
export function fingerprintOfBars(bars: readonly Bars[], fingerprints: SongFingerprints): string {
  const heard = [...fingerprints].map(
    ([id, all]) => [id, bars.flatMap(({ first, last }) => all.slice(first - 1, last))] as const,
  );
  return fingerprint(JSON.stringify(heard.filter(([, all]) => all.some(Boolean)).sort()));
}

/** Test for an open note whose bars sound other than they did when it came: it may be done. */
export const mayBeDone = ({ done, bars, heard }: ClientNote, fingerprints: SongFingerprints): boolean =>
  done === null && bars !== null && heard !== fingerprintOfBars(bars, fingerprints);

/** "the whole song", "Chorus 2", "bars 3–4 and 7"; nothing while nobody has said which. */
export function noteBarsWords(bars: readonly Bars[] | null, form: Pick<Form, 'bars' | 'sections'>): string {
  if (!bars) return '';
  const [only] = bars;
  if (bars.length === 1 && only!.first === 1 && only!.last >= form.bars) return 'the whole song';
  // A name that is said twice tells nobody which.
  const isOnce = (name: string) => form.sections.filter((s) => s.name === name).length === 1;
  const named = bars.map(
    (b) => form.sections.find((s) => s.first === b.first && s.last === b.last && isOnce(s.name))?.name,
  );
  if (named.every(Boolean)) return named.join(' and ');
  const numbers = bars.map(({ first, last }) => (first === last ? `${first}` : `${first}–${last}`));
  const all = [numbers.slice(0, -1).join(', '), numbers.at(-1)].filter(Boolean).join(' and ');
  return /^\d+$/.test(all) ? `bar ${all}` : `bars ${all}`;
}

/** Notes that a version answers: those that are open, and those that no version before it has told to be done. */
export const answeredIn = (notes: readonly ClientNote[], version: number): readonly ClientNote[] =>
  notes.filter(({ done }) => done === null || done.in === null || done.in === version);
