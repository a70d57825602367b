import type { BufferedEvent } from '~~/core/lookback/buffer';
import type { LayerEvent } from '~~/core/takes/layer';
import type { PageBatch } from './keeper';
import type { BufferFacts } from './store';

/** Collects what one turn of the page brings, so that it reaches the storage in one transaction. */
export interface Gatherer {
  /** An event of an open layer. */
  event(songId: string, layerId: string, event: LayerEvent): void;
  /** Events that look-back buffers, with its facts where they have changed. */
  hold(events: readonly BufferedEvent[], facts: BufferFacts | null): void;
  /** Hands over what has been collected, so that nothing later overtakes it. */
  flush(): void;
}

/** @param write called at the end of each turn in which something came */
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
