import type { LayerEvent, LayerHeader } from '~~/core/takes/layer';
import type { Mode } from '~~/core/vocabulary/modes';
import type { Errand, Parked } from './store';

const LAYER_PATH = /^\/api\/layers\/([^/]+)\//;

/** What an errand belongs to: its layer, or the changes of its song. */
export function grouped(errand: Errand): Pick<Parked, 'id' | 'kind'> {
  const { path, body, songId } = errand;
  const header = (body as { readonly header?: LayerHeader }).header;
  const layer = header?.id ?? LAYER_PATH.exec(path)?.[1];
  return layer === undefined
    ? { id: `changes of ${songId}`, kind: 'change' }
    : { id: `layer ${decodeURIComponent(layer)}`, kind: 'layer' };
}

/** What a refused layer holds, as far as it was refused: a take can be made of it, and a file. */
export interface ParkedLayer {
  /** Null where its opening was not refused: then the server has it. */
  readonly header: LayerHeader | null;
  readonly mode: Mode;
  readonly events: readonly LayerEvent[];
}

/** The notes and controllers that a refused layer's errands carry. */
export function layerIn({ errands }: Parked): ParkedLayer {
  const opening = errands.map((e) => e.body as { header?: LayerHeader; mode?: Mode }).find((b) => b.header);
  const events = errands.flatMap((e) => (e.body as { events?: readonly LayerEvent[] }).events ?? []);
  return { header: opening?.header ?? null, mode: opening?.mode ?? 'new take', events };
}

/** What was refused, in words. */
export function parkedWords(parked: Parked): string {
  if (parked.kind === 'change') {
    const n = parked.errands.length;
    return n === 1 ? 'The server would not make a change.' : `The server would not make ${n} changes.`;
  }
  const notes = layerIn(parked).events.filter((e) => e.message.type === 'noteOn').length;
  return notes ? `The server would not take ${notes} notes that were played.` : 'The server would not take a layer.';
}
