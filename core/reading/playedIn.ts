import type { SongDocument } from '../document/document';
import type { Take } from '../document/take';
import { transpositionOf } from '../document/transposition';
import { NOT_TRANSPOSED, semitonesAt } from '../performance/transposition';
import type { Layer } from '../takes/layer';
import { meterMap } from '../time/meter';
import { keyWords, semitoneWords, transposedKey } from '../vocabulary/key';

/**
 * Words for the key in which a take was played, where it sounds in another now: "played in D major", or "played 2
 * semitones up" without a written key. Empty where they are the same.
 */
export function playedInWords(
  take: Pick<Take, 'layers' | 'from'>,
  layers: ReadonlyMap<string, Layer>,
  song: Pick<SongDocument, 'key' | 'meter' | 'transposition'>,
): string {
  const header = layers.get(take.layers[0] ?? '')?.header;
  if (!header) return '';
  const played = semitonesAt(header.transposition ?? NOT_TRANSPOSED, header.planned.from);
  const now = semitonesAt(transpositionOf(song.transposition, meterMap(song.meter)), take.from);
  if (played === now) return '';
  if (song.key) return `played in ${keyWords(transposedKey(song.key, played))}`;
  return played === 0 ? 'played in the song’s own key' : `played ${semitoneWords(played)}`;
}
