import { many } from '~~/core/vocabulary/many';
import type { LayerEvent, LayerHeader } from '~~/core/takes/layer';
import { wavHeader } from '~~/core/files/wav';
import type { Mode } from '~~/core/vocabulary/modes';
import type { PieceFacts } from './captured';
import type { QueuedRequest, Parked } from './store';

const RECORDING_PATH = /^\/api\/recordings(?:\/([\w-]+))?/;
const LAYER_PATH = /^\/api\/layers\/([^/]+)\//;

/** The row of what is set aside before its requests are counted. */
export type ParkedHead = Omit<Parked, 'errands' | 'notes' | 'sound' | 'isTake'>;

interface LayerBody {
  readonly header?: LayerHeader;
  readonly mode?: Mode;
  readonly events?: readonly LayerEvent[];
}

/** The name of a request's recording, where it belongs to one. */
export function recordingOf({ path, body }: QueuedRequest): string | undefined {
  const found = RECORDING_PATH.exec(path);
  return found ? (found[1] ?? (body as { id: string }).id) : undefined;
}

/** The name of a request's layer, where it belongs to one. */
export function layerOf({ path, body }: QueuedRequest): string | undefined {
  const named = (body as LayerBody).header?.id ?? LAYER_PATH.exec(path)?.[1];
  return named === undefined ? undefined : decodeURIComponent(named);
}

/** The group that a request is set aside with: the rest of its pass, or the other changes of its song. */
export function groupOf(request: QueuedRequest): Pick<Parked, 'id' | 'kind'> {
  const pass = request.pass ?? recordingOf(request) ?? layerOf(request);
  return pass === undefined
    ? { id: `changes of ${request.songId}`, kind: 'change' }
    : { id: `pass ${pass}`, kind: 'pass' };
}

/** The row of what is set aside, with one more request. @param before null where it is the first one */
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

/** Refused part of a layer: a take can be made of it, and a file. */
export interface ParkedLayer {
  readonly header: LayerHeader;
  readonly mode: Mode;
  readonly events: readonly LayerEvent[];
}

/** The layers whose opening is among some requests, with the notes and controllers that they carry. */
export function layersIn(requests: readonly QueuedRequest[]): ParkedLayer[] {
  return requests.flatMap((opening) => {
    const { header, mode = 'new take' } = opening.body as LayerBody;
    if (!header) return [];
    const own = requests.filter((e) => layerOf(e) === header.id);
    return [{ header, mode, events: own.flatMap((e) => (e.body as LayerBody).events ?? []) }];
  });
}

/** A piece of sound that was refused, with where it belongs. */
export interface ParkedPiece extends PieceFacts {
  readonly bytes: ArrayBuffer;
}

/** The sound of one recording's refused pieces as a WAV file, each where it was; null where there is none. */
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
