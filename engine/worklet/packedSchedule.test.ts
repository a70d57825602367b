import fc from 'fast-check';
import { expect, it } from 'vitest';
import { messages } from '../../core/testing/arbitraries';
import type { Scheduled } from '../instrument/schedule';
import { packSchedule, unpackSchedule } from './packedSchedule';
import { real } from '../../core/testing/realNumbers';

it('a schedule comes out on the audio thread as it went in, on any channel', () => {
  const at = real(-10, 1e5);
  const event: fc.Arbitrary<Scheduled> = fc.oneof(
    fc.record({ at, channel: fc.integer({ min: 0, max: 200 }), message: messages }),
    fc.record({ at, click: fc.constantFrom('bar' as const, 'group' as const, 'beat' as const, 'sub' as const) }),
  );
  fc.assert(
    fc.property(fc.array(event), (events) => {
      expect(unpackSchedule(packSchedule(events))).toEqual(events);
    }),
  );
});
