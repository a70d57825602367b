import type { SongDocument } from '../document/document';
import type { PassResult } from '../recording/state';
import { closeLayer } from '../recording/lap';
import { KEPT_FROM, type Layer, type LayerClosing, type LayerEvent, type LayerHeader } from '../takes/layer';
import { endOfSound, type SoundSoFar } from '../takes/sound';
import { tempoMap, tickAt } from '../time/tempo';
import type { Seconds } from '../time/units';
import type { Mode } from '../vocabulary/modes';
import { change } from './changes';

/** Stored layer, closed or still open. */
export interface KeptLayer {
  readonly header: LayerHeader;
  readonly mode: Mode;
  readonly closing: LayerClosing | null;
  readonly events: readonly LayerEvent[];
}

/** Result of a layer that no pass will close any more; null where nothing was played. */
export interface Recovered {
  readonly layer: Layer;
  readonly result: PassResult | null;
}

/** Time after the last stored event at which a cut-off pass counts as ended. */
const TAIL: Seconds = 0.25;

/**
 * Closes the layer of a pass that was cut off, at its last key or the end of its sound, whichever is later. Held notes
 * end there.
 * @param sound stored length of its recording, where it has one
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
 * Passes of closed layers of which no take was made, because the page went in between. Notes on their way out of
 * look-back are buffered there still, and left out here.
 * @param layers those of which no change has made a take; undone takes stay undone
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

/** Stored layer, with whether any change has made a take of it. */
export interface StoredLayerFacts extends KeptLayer {
  readonly taken: boolean;
}

/** Song after cut-off passes became takes, as opening it does. @param sounds stored length of each recording */
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
