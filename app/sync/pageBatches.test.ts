import { describe, expect, it } from 'vitest';
import type { BufferedEvent } from '~~/core/lookback/buffer';
import type { LayerEvent } from '~~/core/takes/layer';
import { gatherer } from './pageBatches';
import type { PageBatch } from './keeper';

const event = (at: number): LayerEvent => ({ at, message: { type: 'noteOn', key: 60, velocity: 80 } });
const held = (seq: number): BufferedEvent => ({
  seq,
  wall: 0,
  port: 'bench',
  message: { type: 'noteOn', key: 60, velocity: 80 },
  listening: 1,
  place: null,
});
const FACTS = { by: 'window', rolls: [], listenings: [], takings: [] };

function gathering() {
  const batches: PageBatch[] = [];
  return { batches, gathered: gatherer((batch) => batches.push(batch)) };
}

describe('what one turn of the page brings', () => {
  it('is handed over in one piece: look-back’s event and those of every layer', async () => {
    const { batches, gathered } = gathering();
    gathered.hold([held(1)], FACTS);
    gathered.event('song', 'a', event(1));
    gathered.event('song', 'b', event(1));
    expect(batches).toEqual([]);
    await Promise.resolve();
    expect(batches).toHaveLength(1);
    expect(batches[0]!.buffered.map((h) => h.seq)).toEqual([1]);
    expect(batches[0]!.arrivals.map((a) => a.layerId)).toEqual(['a', 'b']);
    expect(batches[0]!.facts).toBe(FACTS);
  });

  it('is handed over at once where something else must not overtake it, and once', async () => {
    const { batches, gathered } = gathering();
    gathered.event('song', 'a', event(1));
    gathered.flush();
    expect(batches).toHaveLength(1);
    gathered.flush();
    await Promise.resolve();
    expect(batches).toHaveLength(1);
  });

  it('of the next turn is another piece, and facts go with the turn in which they changed', async () => {
    const { batches, gathered } = gathering();
    gathered.hold([held(1)], FACTS);
    gathered.hold([held(2)], null);
    await Promise.resolve();
    gathered.hold([held(3)], null);
    await Promise.resolve();
    expect(batches.map((b) => [b.buffered.map((h) => h.seq), b.facts])).toEqual([
      [[1, 2], FACTS],
      [[3], null],
    ]);
  });
});
