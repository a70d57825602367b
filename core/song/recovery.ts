import type { SongDocument } from '../document/document';
import type { PassResult } from '../recording/state';
import { closeLayer } from '../recording/lap';
import { KEPT_FROM, type Layer, type LayerClosing, type LayerEvent, type LayerHeader } from '../takes/layer';
import { endOfSound, type SoundSoFar } from '../takes/sound';
import { tempoMap, tickAt } from '../time/tempo';
import type { Seconds } from '../time/units';
import type { Mode } from '../vocabulary/modes';
import { change } from './changes';

/** A layer as it is stored: closed, or still open. */
export interface KeptLayer {
  readonly header: LayerHeader;
  readonly mode: Mode;
  readonly closing: LayerClosing | null;
  readonly events: readonly LayerEvent[];
}

/**
 * Result that a layer becomes when no pass will close it any more, and the pass it stands for; null where nothing was
 * played.
 */
export interface Recovered {
  readonly layer: Layer;
  readonly result: PassResult | null;
}

/** A pass that was cut off is taken to have ended this long after the last thing that was kept of it. */
const TAIL: Seconds = 0.25;

/**
 * Closes a layer whose pass was cut off over what was kept: to the last key or the last of its sound, whichever is
 * later. What was held then ends there.
 * @param sound what was kept of the recording that it names, where there is any
 */
export function closedWhereCutOff({ header, mode, events }: KeptLayer, sound?: SoundSoFar): Recovered {
  const last = events.reduce((latest, { at }) => Math.max(latest, at + TAIL), -Infinity);
  const end = Math.max(last, header.sound && sound ? endOfSound(header, sound) : -Infinity);
  const endedAt = end > -Infinity ? tickAt(tempoMap(header.tempo), end) : header.planned.from;
  const closed = closeLayer(header, events, mode, endedAt);
  const { range } = closed.closing;
  const any = range.to > range.from && (closed.notes > 0 || closed.touched);
  return {
    layer: { header, closing: closed.closing, events },
    result: any ? { passId: header.passId, mode, layers: [closed] } : null,
  };
}

/**
 * The passes of layers that were closed without a take having been made of them: the page went between the two. What
 * was on its way out of look-back is held there still, and not brought back from here as well.
 * @param layers those of which no change has ever made a take, as far as is known: one that was undone stays undone
 */
export function passesWithoutTake({ parts }: Pick<SongDocument, 'parts'>, layers: readonly KeptLayer[]): PassResult[] {
  const used = new Set(parts.flatMap((p) => p.takes.flatMap((t) => t.layers)));
  const unused = layers.filter(({ header }) => !used.has(header.id) && header.from !== KEPT_FROM);
  return unused.flatMap(({ header, closing, mode, events }): PassResult[] => {
    if (!closing || closing.range.to <= closing.range.from) return [];
    const again = closeLayer(header, events, mode, closing.range.to, closing.rings, closing.seam);
    if (again.notes === 0 && !again.touched) return [];
    return [{ passId: header.passId, mode, layers: [{ ...again, closing }] }];
  });
}

/** A layer as it is stored, with whether any change has ever made a take of it. */
export interface StoredLayerFacts extends KeptLayer {
  readonly taken: boolean;
}

/**
 * A song as it is once the passes that were cut off have become takes: what opening it anywhere makes of it.
 * @param sounds how far each recording has come
 */
export function recovered(
  document: SongDocument,
  stored: readonly StoredLayerFacts[],
  sounds: ReadonlyMap<string, SoundSoFar>,
): { readonly document: SongDocument; readonly layers: readonly Layer[] } {
  const cutOff = stored.filter((l) => !l.closing);
  const made = cutOff.map((l) => closedWhereCutOff(l, l.header.sound && sounds.get(l.header.sound.recording)));
  const whole = stored.flatMap(({ header, closing, events }): Layer[] =>
    closing ? [{ header, closing, events }] : [],
  );
  const results = [
    ...made.flatMap(({ result }) => result ?? []),
    ...passesWithoutTake(
      document,
      stored.filter((l) => !l.taken),
    ),
  ];
  return {
    document: results.reduce((before, result) => {
      const at = result.layers[0]!.header.startedAt;
      return change(before, { type: 'record', result, at }).document;
    }, document),
    layers: [...whole, ...made.map((m) => m.layer)],
  };
}
