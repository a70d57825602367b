import { expect, it } from 'vitest';
import { shiftOf } from './place';

it('as I played it takes both latencies off, as I heard it the input’s alone; the nudge comes on top', () => {
  const latency = { output: 0.03, input: 0.004 };
  expect(shiftOf({ policy: 'played', nudge: 0 }, latency)).toBeCloseTo(-0.034, 12);
  expect(shiftOf({ policy: 'heard', nudge: 0 }, latency)).toBeCloseTo(-0.004, 12);
  expect(shiftOf({ policy: 'heard', nudge: 10 }, latency)).toBeCloseTo(0.006, 12);
});
