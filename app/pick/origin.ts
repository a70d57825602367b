import type { Take } from '~~/core/document/take';
import { KEPT_FROM } from '~~/core/takes/layer';
import type { Layer } from '~~/core/takes/layer';
import type { Mode } from '~~/core/vocabulary/modes';

const WHEN = new Intl.DateTimeFormat('en-GB', { hour: '2-digit', minute: '2-digit' });

/**
 * Origin of a take, and its way of recording where that was not the plain one: "pass, 20:14", "lap 3, 20:14",
 * "look-back, 20:14", "replace, 20:14, 2 layers", "from Reed Lane.mid", "a copy".
 * @param modes the way of recording of each layer
 */
export function originWords(take: Take, layers: ReadonlyMap<string, Layer>, modes: ReadonlyMap<string, Mode>): string {
  const first = layers.get(take.layers[0] ?? '');
  if (!first) return 'not here yet';
  const { source, lap, startedAt, from } = first.header;
  if (source === 'file') return `from ${from}`;
  if (source === 'copy') return 'a copy';
  const at = Date.parse(startedAt);
  const mode = modes.get(first.header.id);
  const plain = mode === undefined || mode === 'new take' ? 'pass' : mode;
  const kept = from === KEPT_FROM ? 'look-back' : plain;
  const kind = lap === undefined ? kept : `lap ${lap + 1}`;
  const more = take.layers.length > 1 ? `${take.layers.length} layers` : '';
  return [kind, Number.isNaN(at) ? '' : WHEN.format(at), more].filter(Boolean).join(', ');
}
