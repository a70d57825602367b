import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { layerEvents } from '../testing/arbitraries';
import type { LayerEvent } from './layer';
import { eachEvent, packEvents, unpacked, unpackEvents } from './packed';

const packedText = (bytes: Uint8Array) => Buffer.from(bytes).toString('base64');

describe('packed events', () => {
  it('come out as they went in, bit for bit', () => {
    fc.assert(
      fc.property(layerEvents(), (events) => {
        const bytes = packEvents(events);
        expect(unpackEvents(bytes)).toEqual(events);
        const layer = unpacked({ id: 'a', packed: packedText(bytes) });
        expect(layer).toEqual({ id: 'a', events });
        const seen: LayerEvent[] = [];
        for (const one of [layer, { events }]) {
          seen.length = 0;
          eachEvent(one, (at, message) => seen.push({ at, message }));
          expect(seen).toEqual(events);
        }
        expect(structuredClone(layer)).toEqual({ id: 'a', events });
      }),
    );
  });

  it('that are cut short or damaged are refused when they are read', () => {
    const bytes = packEvents([{ at: 1, message: { type: 'noteOn', key: 60, velocity: 80 } }]);
    expect(() => unpackEvents(bytes.subarray(1))).toThrow('cut short');
    expect(() => unpackEvents(bytes.fill(0))).toThrow('damaged');
    expect(() => unpacked({ packed: packedText(new Uint8Array(5)) }).events).toThrow('cut short');
  });
});
