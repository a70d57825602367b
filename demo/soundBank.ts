import {
  BasicInstrument,
  BasicPreset,
  BasicSample,
  BasicSoundBank,
  GeneratorTypes,
  SampleTypes,
  SpessaLog,
} from 'spessasynth_core';

const RATE = 44_100;

/** Sound of an invented bank: name, numbers, and partials of its string. */
interface MadeSound {
  readonly name: string;
  readonly bank: number;
  readonly program: number;
  readonly partials: readonly number[];
}
const SOUNDS: readonly MadeSound[] = [
  { name: 'Reed of the marsh', bank: 0, program: 20, partials: [1, 0, 0.5, 0, 0.25] },
  { name: 'Lantern bell', bank: 0, program: 14, partials: [1, 0.2, 0, 0.7, 0, 0.3] },
  { name: 'Fog low', bank: 1, program: 20, partials: [1, 0.6] },
];

/** A period of the sound at middle A with a margin, for a loop. */
function sampleOf({ name, partials }: MadeSound, seconds: number): BasicSample {
  const period = Math.round(RATE / 440);
  const frames = Math.max(period * 4, Math.round((seconds * RATE) / period) * period);
  const sample = new BasicSample(name, RATE, 69, 0, SampleTypes.monoSample, period, frames - period);
  const wave = (i: number) =>
    partials.reduce((sum, level, k) => sum + level * Math.sin((2 * Math.PI * (k + 1) * i) / period), 0);
  sample.setAudioData(
    Float32Array.from({ length: frames }, (_, i) => 0.25 * wave(i)),
    RATE,
  );
  return sample;
}

/** Bank of three sounds, as SF2 or DLS. @param seconds length of each sample, which makes a large bank of long ones */
export function madeBank(container: 'sf2' | 'dls' = 'sf2', seconds = 0.1): Uint8Array<ArrayBuffer> {
  SpessaLog.setLogLevel(false, false, false);
  const bank = new BasicSoundBank('sf2');
  bank.soundBankInfo.name = 'Marsh Light sounds';
  for (const made of SOUNDS) {
    const sample = sampleOf(made, seconds);
    const instrument = new BasicInstrument();
    instrument.name = made.name;
    instrument.createZone(sample).setGenerator(GeneratorTypes.sampleModes, 1);
    const preset = new BasicPreset(bank);
    Object.assign(preset, { name: made.name, bankMSB: made.bank, program: made.program });
    preset.createZone(instrument);
    bank.addSamples(sample);
    bank.addInstruments(instrument);
    bank.addPresets(preset);
  }
  return new Uint8Array(container === 'sf2' ? bank.writeSF2() : bank.writeDLS());
}

/** Bank of one sound with a sample for each key from the lowest A up. */
export function keyedBank(keys: number): Uint8Array<ArrayBuffer> {
  SpessaLog.setLogLevel(false, false, false);
  const bank = new BasicSoundBank('sf2');
  const instrument = new BasicInstrument();
  instrument.name = 'Every key';
  for (let i = 0; i < keys; i += 1) {
    const sample = sampleOf({ name: `Key ${i}`, bank: 0, program: 0, partials: [1] }, 0.01);
    const zone = instrument.createZone(sample);
    zone.keyRange = { min: 21 + i, max: 21 + i };
    zone.setGenerator(GeneratorTypes.sampleModes, 1);
    bank.addSamples(sample);
  }
  const preset = new BasicPreset(bank);
  preset.name = 'Every key';
  preset.createZone(instrument);
  bank.addInstruments(instrument);
  bank.addPresets(preset);
  return new Uint8Array(bank.writeSF2());
}
