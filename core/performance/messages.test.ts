import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { messages } from '../testing/arbitraries';
import { bytesFromMessage, keyName, messageFromBytes } from './messages';

describe('messages from bytes', () => {
  it('reads what it writes', () => {
    fc.assert(
      fc.property(messages, fc.integer({ min: 0, max: 15 }), (message, channel) => {
        expect(messageFromBytes(bytesFromMessage(message, channel))).toEqual(message);
      }),
    );
  });

  it('takes a note-on of velocity 0 for a note-off', () => {
    expect(messageFromBytes([0x90, 60, 0])).toEqual({ type: 'noteOff', key: 60, velocity: 64 });
  });

  it.each([[[]], [[0x90]], [[0x90, 60]], [[0x90, 200, 5]], [[60, 60, 60]], [[0xf8]], [[0xfe]], [[0xf0, 1, 2]]])(
    'passes over %j',
    (bytes) => {
      expect(messageFromBytes(bytes)).toBeUndefined();
    },
  );

  it('never fails on random bytes', () => {
    fc.assert(
      fc.property(fc.uint8Array({ maxLength: 6 }), (bytes) => {
        const message = messageFromBytes(bytes);
        if (message && message.type === 'noteOn') expect(message.velocity).toBeGreaterThan(0);
      }),
    );
  });

  it('names keys', () => {
    expect([21, 60, 61, 108].map(keyName)).toEqual(['A0', 'C4', 'C♯4', 'C8']);
  });
});
