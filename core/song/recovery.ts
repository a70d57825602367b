import type { SongDocument } from '../document/document';
import type { PassResult } from '../recording/state';
import { closeLayer } from '../recording/lap';
import { KEPT_FROM, type Layer, type LayerClosing, type LayerEvent, type LayerHeader } from '../takes/layer';
import { tempoMap, tickAt } from '../time/tempo';
import type { Seconds } from '../time/units';
import type { Mode } from '../vocabulary/modes';

/** A layer as it is stored: closed, or still open. */
export interface KeptLayer {
  readonly header: LayerHeader;
  readonly mode: Mode;
  readonly closing: LayerClosing | null;
  readonly events: readonly LayerEvent[];
}

/** What a layer becomes that no pass will close any more, and the pass it stands for; null where nothing was played. */
export interface Recovered {
  readonly layer: Layer;
  readonly result: PassResult | null;
}

/** A pass that was cut off is taken to have ended this long after the last thing that was kept of it. */
const TAIL: Seconds = 0.25;

/** Closes a layer whose pass was cut off over what was kept: what was held then ends with the last thing in it. */
export function closedWhereCutOff({ header, mode, events }: KeptLayer): Recovered {
  const last = events.reduce((latest, { at }) => Math.max(latest, at), -Infinity);
  const endedAt = last > -Infinity ? tickAt(tempoMap(header.tempo), last + TAIL) : header.planned.from;
  const closed = closeLayer(header, events, mode, endedAt);
  const any = closed.notes > 0 || closed.touched;
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
