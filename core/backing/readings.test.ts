import { describe, expect, it } from 'vitest';
import { seeded } from '../random';
import { fitPulse, hear, NO_EDITS } from './analysis';
import { fitTempo } from './tempoFit';
import { scoreOf } from './readings';
import { spectrumOf } from './spectrum';

const RATE = 22_050;

/** A kick on the beats, a snap on every second one, hats between, and a low note that moves with the bar. */
function groove(period: number, bars: number, from = 0.4): Float32Array {
  const random = seeded(5);
  const samples = new Float32Array(Math.round((from + bars * 4 * period + 1) * RATE));
  const add = (at: number, sound: (t: number) => number, length = 0.3): void => {
    const first = Math.round(at * RATE);
    for (let k = 0; k < length * RATE && first + k < samples.length; k += 1) samples[first + k]! += sound(k / RATE);
  };
  for (let beat = 0; beat < bars * 4; beat += 1) {
    const at = from + beat * period;
    const hz = 55 * 2 ** ([0, 5, 7, 3][Math.floor(beat / 4) % 4]! / 12);
    if (beat % 2 === 0) add(at, (t) => 0.4 * Math.sin(2 * Math.PI * 60 * t) * Math.exp(-t / 0.06));
    else add(at, (t) => 0.3 * (random.unit() - 0.5) * Math.exp(-t / 0.05));
    if (beat % 4 === 0) add(at, (t) => 0.3 * Math.sin(2 * Math.PI * hz * t) * Math.exp(-t), period * 4);
    for (const half of [0, 0.5]) add(at + half * period, (t) => 0.1 * (random.unit() - 0.5) * Math.exp(-t / 0.01));
  }
  return samples;
}

describe('the readings of a recording', () => {
  const period = 60 / 117.3;
  const heard = hear(spectrumOf([groove(period, 24)], RATE));
  const fit = (to: Partial<typeof NO_EDITS> = {}) => fitPulse(heard, { ...NO_EDITS, ...to });
  const at = (to?: Partial<typeof NO_EDITS>) => fit(to).beats.map((b) => b.at);
  /** Distance of a time from the nearest place of a pulse. */
  const off = (time: number, every: number, from = 0.4) =>
    Math.abs((((((time - from) / every + 0.5) % 1) + 1) % 1) - 0.5) * every;

  it('has the one tempo exactly, said as one, with the bar where the low note moves', () => {
    const found = fit();
    expect(found.steady).toBe(true);
    expect(Math.max(...at().map((t) => off(t, period)))).toBeLessThan(0.012);
    const fitted = fitTempo(found)!;
    expect(fitted.tempo).toHaveLength(1);
    expect(Math.abs(fitted.tempo[0]!.bpm / 117.3 - 1)).toBeLessThan(5e-5);
    expect(off(-fitted.offset, 4 * period)).toBeLessThan(0.012);
  });

  it('are five at most, the likeliest first, and each is taken at one word', () => {
    expect(heard.readings.length).toBeGreaterThan(1);
    expect(heard.readings.length).toBeLessThanOrEqual(5);
    expect(heard.offered.map((o) => o.share)).toEqual([...heard.offered.map((o) => o.share)].sort((a, b) => b - a));
    heard.offered.forEach((offered, reading) => {
      const times = at({ reading });
      expect((times.at(-1)! - times[0]!) / (times.length - 1)).toBeCloseTo(offered.period, 3);
    });
  });

  it.each([1, 2, 0.5])('give way to a tempo that was told, %d times theirs; its beats are where they were', (times) => {
    // Nobody tells it to the hundredth.
    const told = at({ bpm: Math.round(117.3 * times) });
    expect((told.at(-1)! - told[0]!) / (told.length - 1)).toBeCloseTo(period / times, 3);
    if (times <= 1) expect(Math.max(...told.map((t) => off(t, period)))).toBeLessThan(0.015);
    expect(at({ bpm: 100 })).toEqual(at());
  });

  it('go to twice, half, three for two, and half a beat later', () => {
    const every = (times: readonly number[]) => (times.at(-1)! - times[0]!) / (times.length - 1) / period;
    expect(every(at({ factor: 2 }))).toBeCloseTo(0.5, 3);
    expect(every(at({ factor: 0.5 }))).toBeCloseTo(2, 3);
    expect(every(at({ factor: 1.5 }))).toBeCloseTo(2 / 3, 3);
    expect(Math.max(...at({ halves: 1 }).map((t) => off(t, period, 0.4 + period / 2)))).toBeLessThan(0.015);
    expect(at({ halves: 2 })).toEqual(at());
  });

  it.each([
    ['on the beat', 0, 1],
    ['between the beats', 0.5, 1],
    ['twice as slow', 1, 2],
    ['twice as fast', 0, 0.5],
  ])('are right after two taps that are some hundredths off, %s', (_, from, beats) => {
    const first = 0.4 + (20 + from) * period;
    const taps = [[first + 0.022, first + beats * period - 0.018]];
    const times = at({ taps });
    expect((times.at(-1)! - times[0]!) / (times.length - 1)).toBeCloseTo(beats * period, 3);
    expect(Math.max(...times.map((t) => off(t, beats * period, first)))).toBeLessThan(0.02);
  });

  it('move to where a beat was put, which stays there to the digit', () => {
    const pin = 0.4 + 20.5 * period + 0.01;
    const times = at({ pins: [pin] });
    expect(times).toContain(pin);
    const others = times.filter((t) => t !== pin);
    expect(Math.max(...others.map((t) => off(t, period, 0.4 + period / 2)))).toBeLessThan(0.02);
  });

  it('are none of too little, and stay in a meter that is said', () => {
    expect(hear(spectrumOf([new Float32Array(RATE)], RATE)).readings).toEqual([]);
    expect(fit({ meter: { pulses: 3, beats: 3, unit: 4 } }).bars.meter).toEqual({ pulses: 3, beats: 3, unit: 4 });
  });
});

describe('the score of facts', () => {
  it('is a sum of them and of bent sums of them, each fact within four spreads', () => {
    const net = { mean: [1], spread: [2], units: [[3, 0.5]], out: [2], straight: [10, 1] };
    expect(scoreOf(net, Float32Array.of(3))).toBeCloseTo(10 + 1 + 2 * Math.tanh(3.5), 6);
    expect(scoreOf(net, Float32Array.of(1000))).toBe(scoreOf(net, Float32Array.of(9)));
  });
});
