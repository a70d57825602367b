import { describe, expect, it } from 'vitest';
import { DamagedFile } from './damaged';
import { readableEvents } from './midiLengths';

const check = (...bytes: number[]) => readableEvents(Uint8Array.from(bytes), 3);
const END = [0, 0xff, 0x2f, 0];

describe('the lengths of a track', () => {
  it('are right with running status, meta events and exclusive messages', () => {
    check();
    check(0, 0x90, 60, 80, 0x81, 0x40, 60, 0, 0, 0xc0, 5, 0, 6, ...END);
    check(0, 0xff, 1, 3, 65, 66, 67, 0, 0xf0, 2, 1, 0xf7, ...END);
    // Running status goes on behind a meta event, as the parser has it.
    check(0, 0x90, 60, 80, 0, 0xff, 6, 0, 0, 60, 0, ...END);
  });

  it('that reach beyond it, have no end, or belong to no event are refused', () => {
    for (const cut of [
      [0],
      [0, 0x90],
      [0, 0x90, 60],
      [0, 0xff],
      [0, 0xff, 1],
      [0, 0xff, 1, 5, 65],
      [0x81],
      [0, 0xf0, 9],
    ])
      expect(() => check(...cut)).toThrow(/Track 3 .* cut short inside an event/);
    // Ten bytes that go on and on: the parser's number would be below zero.
    expect(() => check(0xff, 0xff, 0xff, 0xff, 0x7f, 0x90, 60, 80)).toThrow(/a length that is none/);
    expect(() => check(0, 0xff, 1, 0x80, 0x80, 0x80, 0x80, 0x80)).toThrow(DamagedFile);
    expect(() => check(0, 60, 80)).toThrow(/not MIDI events/);
    expect(() => check(0, 0xf5)).toThrow(/not MIDI events/);
  });

  it('are left alone, but for text that the parser could not take: of that the beginning is kept', () => {
    const [few, many] = [200_000, 0x8c];
    // 200,000 as a quantity: 12, 26, 64 in seven bits each.
    const long = [0, 0xff, 1, many, 0x9a, 0x40, ...Array.from({ length: few }, () => 65)];
    const events = Uint8Array.from([...long, 0, 0x90, 60, 80, 10, 0x80, 60, 0, ...END]);
    const read = readableEvents(events, 1);
    expect(read.length).toBeLessThan(17_000);
    expect([...read.slice(-12)]).toEqual([...events.slice(-12)]);
    const short = Uint8Array.from([0, 0xff, 1, 3, 65, 66, 67, ...END]);
    expect(readableEvents(short, 1)).toBe(short);
  });
});
