import type { SongDocument } from '~~/core/document/document';
import type { Take } from '~~/core/document/take';
import { playedInWords } from '~~/core/reading/playedIn';
import { KEPT_FROM } from '~~/core/takes/layer';
import type { Layer } from '~~/core/takes/layer';
import type { Mode } from '~~/core/vocabulary/modes';

const WHEN = new Intl.DateTimeFormat('en-GB', { hour: '2-digit', minute: '2-digit' });

/**
 * Words for how a take came about, with its recording mode unless it was the plain one: "pass, 20:14", "lap 3, 20:14",
 * "look-back, 20:14", "replace, 20:14, 2 layers", "from Reed Lane.mid", "a copy"; and for the key it was played in
 * where the song has another now.
 * @param modes recording mode of each layer
 */
export function originWords(
  take: Take,
  layers: ReadonlyMap<string, Layer>,
  modes: ReadonlyMap<string, Mode>,
  song: Pick<SongDocument, 'key' | 'meter' | 'transposition'>,
): string {
  const first = layers.get(take.layers[0] ?? '');
  if (!first) return 'not here yet';
  const { source, lap, startedAt, from } = first.header;
  const playedIn = playedInWords(take, layers, song);
  const said = (...words: string[]): string => [...words, playedIn].filter(Boolean).join(', ');
  if (source === 'file') return said(`from ${from}`);
  if (source === 'copy') return said('a copy');
  const at = Date.parse(startedAt);
  const mode = modes.get(first.header.id);
  const plain = mode === undefined || mode === 'new take' ? 'pass' : mode;
  const kept = from === KEPT_FROM ? 'look-back' : plain;
  const kind = lap === undefined ? kept : `lap ${lap + 1}`;
  const more = take.layers.length > 1 ? `${take.layers.length} layers` : '';
  return said(kind, Number.isNaN(at) ? '' : WHEN.format(at), more);
}
