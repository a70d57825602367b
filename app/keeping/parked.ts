import type { LayerEvent, LayerHeader } from '~~/core/takes/layer';
import { wavHeader } from '~~/core/files/wav';
import type { Mode } from '~~/core/vocabulary/modes';
import type { PieceFacts } from './captured';
import type { Errand, Parked } from './store';

const RECORDING_PATH = /^\/api\/recordings(?:\/([\w-]+))?/;
const LAYER_PATH = /^\/api\/layers\/([^/]+)\//;

/** What an errand belongs to: its layer, its recording, or the changes of its song. */
export function grouped(errand: Errand): Pick<Parked, 'id' | 'kind'> {
  const { path, body, songId } = errand;
  const recording = RECORDING_PATH.exec(path);
  if (recording) return { id: `sound ${recording[1] ?? (body as { id: string }).id}`, kind: 'sound' };
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

/** The sound that refused pieces carry, as a WAV file, each where it was; null where there is none. */
export function soundIn({ errands, at }: Parked): Uint8Array | null {
  const pieces = errands.flatMap(({ body, bytes }) => (bytes ? [{ ...(body as PieceFacts), bytes }] : []));
  const [first] = pieces;
  if (!first) return null;
  const { rate, channels } = first;
  const size = 4 * channels;
  const from = Math.min(...pieces.map((p) => p.frame));
  const frames = Math.max(...pieces.map((p) => p.frame + p.bytes.byteLength / size)) - from;
  const head = wavHeader(
    { channels, rate, format: '32-bit float', description: 'Not kept', at, reference: 0, markers: [] },
    frames,
  );
  const file = new Uint8Array(head.length + frames * size);
  file.set(head);
  for (const { frame, bytes } of pieces) file.set(new Uint8Array(bytes), head.length + (frame - from) * size);
  return file;
}

/** What was refused, in words. */
export function parkedWords(parked: Parked): string {
  if (parked.kind === 'change') {
    const n = parked.errands.length;
    return n === 1 ? 'A change could not be made.' : `${n} changes could not be made.`;
  }
  if (parked.kind === 'sound') return 'The server would not take sound that was recorded.';
  const notes = layerIn(parked).events.filter((e) => e.message.type === 'noteOn').length;
  return notes ? `The server would not take ${notes} notes that were played.` : 'The server would not take a layer.';
}
