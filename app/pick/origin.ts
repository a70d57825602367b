import type { Take } from '~~/core/document/take';
import type { Layer } from '~~/core/takes/layer';

const WHEN = new Intl.DateTimeFormat('en-GB', { hour: '2-digit', minute: '2-digit' });

/** Where a take came from: "pass, 20:14", "lap 3, 20:14, 2 layers", "from Reed Lane.mid", "a copy". */
export function originWords(take: Take, layers: ReadonlyMap<string, Layer>): string {
  const first = layers.get(take.layers[0] ?? '');
  if (!first) return 'not here yet';
  const { source, lap, startedAt, from } = first.header;
  if (source === 'file') return `from ${from}`;
  if (source === 'copy') return 'a copy';
  const at = Date.parse(startedAt);
  const kind = lap === undefined ? 'pass' : `lap ${lap + 1}`;
  const more = take.layers.length > 1 ? `${take.layers.length} layers` : '';
  return [kind, Number.isNaN(at) ? '' : WHEN.format(at), more].filter(Boolean).join(', ');
}
