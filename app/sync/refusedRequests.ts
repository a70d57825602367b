import { many } from '~~/core/vocabulary/many';
import type { LayerEvent, LayerHeader } from '~~/core/takes/layer';
import { wavHeader } from '~~/core/files/wav';
import type { Mode } from '~~/core/vocabulary/modes';
import type { PieceFacts } from './captured';
import type { QueuedRequest, Parked } from './store';

const RECORDING_PATH = /^\/api\/recordings(?:\/([\w-]+))?/;
const LAYER_PATH = /^\/api\/layers\/([^/]+)\//;

/** Row of refused requests before they are counted. */
export type ParkedHead = Omit<Parked, 'errands' | 'notes' | 'sound' | 'isTake'>;

interface LayerBody {
  readonly header?: LayerHeader;
  readonly mode?: Mode;
  readonly events?: readonly LayerEvent[];
}

/** Recording id of a request; undefined where it belongs to none. */
export function recordingOf({ path, body }: QueuedRequest): string | undefined {
  const found = RECORDING_PATH.exec(path);
  return found ? (found[1] ?? (body as { id: string }).id) : undefined;
}

/** Layer id of a request; undefined where it belongs to none. */
export function layerOf({ path, body }: QueuedRequest): string | undefined {
  const named = (body as LayerBody).header?.id ?? LAYER_PATH.exec(path)?.[1];
  return named === undefined ? undefined : decodeURIComponent(named);
}

/** Group that a refused request is set aside with: its pass, or the changes of its song. */
export function groupOf(request: QueuedRequest): Pick<Parked, 'id' | 'kind'> {
  const pass = request.pass ?? recordingOf(request) ?? layerOf(request);
  return pass === undefined
    ? { id: `changes of ${request.songId}`, kind: 'change' }
    : { id: `pass ${pass}`, kind: 'pass' };
}

/** Row of refused requests with one more. @param before the row so far; null for the first request */
export function withRequest(before: Parked | undefined, of: ParkedHead, request: QueuedRequest): Parked {
  const was = before ?? { ...of, errands: 0, notes: 0, sound: 0, isTake: false };
  const { header, events = [] } = request.body as LayerBody;
  const { rate, channels, frames } = request.body as Partial<PieceFacts>;
  const notes = was.notes + events.filter((e) => e.message.type === 'noteOn').length;
  return {
    ...was,
    errands: was.errands + 1,
    notes,
    sound: was.sound + (rate && channels && frames ? frames / rate : 0),
    isTake: was.isTake || header !== undefined,
  };
}

/** Refused layer, of which a take or a file can be made. */
export interface ParkedLayer {
  readonly header: LayerHeader;
  readonly mode: Mode;
  readonly events: readonly LayerEvent[];
}

/** Layers whose opening is among some requests, with the notes and controllers in them. */
export function layersIn(requests: readonly QueuedRequest[]): ParkedLayer[] {
  return requests.flatMap((opening) => {
    const { header, mode = 'new take' } = opening.body as LayerBody;
    if (!header) return [];
    const own = requests.filter((e) => layerOf(e) === header.id);
    return [{ header, mode, events: own.flatMap((e) => (e.body as LayerBody).events ?? []) }];
  });
}

/** Refused piece of sound, with its recording. */
export interface ParkedPiece extends PieceFacts {
  readonly bytes: ArrayBuffer;
}

/** Refused pieces of one recording as a WAV file, each at its place; null where there are none. */
export function soundIn(pieces: readonly ParkedPiece[], at: string): Uint8Array | null {
  const [first] = pieces;
  if (!first) return null;
  const { rate, channels } = first;
  const size = 4 * channels;
  const from = pieces.reduce((least, p) => Math.min(least, p.frame), Infinity);
  const frames = pieces.reduce((most, p) => Math.max(most, p.frame + p.bytes.byteLength / size), 0) - from;
  const head = wavHeader(
    { channels, rate, format: '32-bit float', description: 'Not kept', at, reference: 0, markers: [] },
    frames,
  );
  const file = new Uint8Array(head.length + frames * size);
  file.set(head);
  for (const { frame, bytes } of pieces) file.set(new Uint8Array(bytes), head.length + (frame - from) * size);
  return file;
}

/** Words for a refused request. */
export function parkedWords({ kind, errands: requests, notes, sound }: Omit<Parked, 'isTake'>): string {
  if (kind === 'change')
    return requests === 1 ? 'A change could not be made.' : `${requests} changes could not be made.`;
  const all = [...(notes ? [many(notes, 'note')] : []), ...(sound ? [`${sound.toFixed(1)} s of sound`] : [])];
  return `The server would not take ${all.join(' and ') || 'a layer'} of a pass.`;
}
