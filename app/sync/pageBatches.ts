import type { BufferedEvent } from '~~/core/lookback/buffer';
import type { LayerEvent } from '~~/core/takes/layer';
import type { PageBatch } from './keeper';
import type { BufferFacts } from './store';

/** Gathers what one turn of the page brings, so that a note takes one way to disk, in one piece. */
export interface Gatherer {
  /** An event of an open layer. */
  event(songId: string, layerId: string, event: LayerEvent): void;
  /** Events that look-back holds, and what belongs to them where it has changed. */
  hold(events: readonly BufferedEvent[], facts: BufferFacts | null): void;
  /** Hands over what there is: nothing that comes after may overtake it. */
  flush(): void;
}

/** @param write told at the end of each turn in which something came */
export function gatherer(write: (batch: PageBatch) => void): Gatherer {
  let arrivals: { songId: string; layerId: string; event: LayerEvent }[] = [];
  let buffered: BufferedEvent[] = [];
  let facts: BufferFacts | null = null;
  let waits = false;

  function flush(): void {
    if (!waits) return;
    const batch = { arrivals, buffered, facts };
    arrivals = [];
    buffered = [];
    facts = null;
    waits = false;
    write(batch);
  }

  function soon(): void {
    if (!waits) queueMicrotask(flush);
    waits = true;
  }

  return {
    event(songId, layerId, event) {
      arrivals.push({ songId, layerId, event });
      soon();
    },
    hold(events, changed) {
      for (const event of events) buffered.push(event);
      facts = changed ?? facts;
      soon();
    },
    flush,
  };
}
