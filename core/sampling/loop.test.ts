import { describe, expect, it } from 'vitest';
import { gainFromDecibels, decibelsFromGain } from '../time/units';
import { faded, looped } from './loop';
import { levelOf, type Sides } from './struckNote';

const RATE = 48_000;
/** A string whose partials beat and die away, the high ones sooner. */
const string = (hz: number, decay: number): Sides => {
  const side = (turn: number) =>
    Float32Array.from({ length: 12 * RATE }, (_, i) => {
      const t = i / RATE;
      let sum = 0;
      for (let k = 1; k <= 5; k += 1) {
        const dies = gainFromDecibels(-decay * t * (1 + (k - 1) / 3)) / k;
        sum += dies * (Math.sin(2 * Math.PI * hz * k * t + turn) + 0.15 * Math.sin(2 * Math.PI * hz * k * 1.0007 * t));
      }
      return 0.2 * sum;
    });
  return [side(0), side(1)];
};

/** A looped note as its player has it. */
const played = ({ sides, from, to, decay }: ReturnType<typeof looped>, seconds: number): Sides =>
  sides.map((side) =>
    Float32Array.from({ length: seconds * RATE }, (_, i) => {
      const at = i < to ? i : from + ((i - from) % (to - from));
      return side[at]! * gainFromDecibels((-decay * i) / RATE);
    }),
  ) as unknown as Sides;

const levelAt = (sides: Sides, second: number) =>
  levelOf(sides.map((s) => s.subarray(second * RATE)) as unknown as Sides, RATE);

describe('a looped note', () => {
  it.each([
    [55, 3],
    [220, 5],
    [660, 9],
  ])('of %d Hz is the recording until its loop, and dies away as that does for as long as it is held', (hz, decay) => {
    const whole = string(hz, decay);
    const heard = played(looped(whole, RATE, 4, 1.2), 11);
    for (let i = 0; i < 2 * RATE; i += 997) expect(heard[0][i]).toBeCloseTo(whole[0][i]!, 5);
    for (const second of [1, 3, 5, 7])
      expect(Math.abs(levelAt(heard, second) - levelAt(whole, second))).toBeLessThan(3);
  });

  it('goes around without a click', () => {
    const whole = string(131, 4);
    const note = looped(whole, RATE, 4, 1.2);
    const [heard] = played(note, 8);
    const jump = (i: number) => Math.abs(heard[i]! - 2 * heard[i - 1]! + heard[i - 2]!);
    const join = jump(note.to + 1);
    let most = 0;
    for (let i = note.to - 4000; i < note.to - 4; i += 1) most = Math.max(most, jump(i));
    expect(decibelsFromGain(join / most)).toBeLessThan(3);
  });
});

describe('a short note', () => {
  it('is as it was recorded until it fades, and ends in nothing', () => {
    const whole = string(2000, 20);
    const [side] = faded(whole, RATE, 2, 0.5);
    expect(side).toHaveLength(2 * RATE);
    expect(side[RATE]).toBe(whole[0][RATE]);
    expect(Math.abs(side.at(-1)!)).toBeLessThan(1e-4);
  });
});
