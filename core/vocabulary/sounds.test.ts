import { describe, expect, it } from 'vitest';
import { gmName } from './generalMidi';
import { bankSoundOf, programOf, soundName, soundOfBank, soundOfProgram, soundSchema, SOUND_FAMILIES } from './sounds';

describe('sounds', () => {
  it('are ours and all 128 of General MIDI, each with a name of its own in its family', () => {
    const all = SOUND_FAMILIES.flatMap((f) => f.sounds);
    expect(all).toHaveLength(9 + 128);
    expect(new Set(all.map(soundName)).size).toBe(new Set(all.map((s) => soundName(s).toLowerCase())).size);
    for (const sound of all) expect(soundSchema.parse(sound)).toBe(sound);
  });

  it('have a program, and a program has a sound: ours where there is one', () => {
    for (let program = 0; program < 128; program += 1) expect(programOf(soundOfProgram(program))).toBe(program);
    expect([soundOfProgram(0), soundOfProgram(56)]).toEqual(['full grand', 'program 57']);
    expect([gmName(56), soundName('program 57')]).toEqual(['Trumpet', 'Trumpet']);
  });

  it('of banks that were brought in say which bank, its numbers and its name', () => {
    const own = { hash: 'a1'.repeat(32), bank: 1, program: 20, name: 'Fog low' };
    const sound = soundOfBank(own);
    expect(soundSchema.parse(sound)).toBe(sound);
    expect([bankSoundOf(sound), soundName(sound), programOf(sound)]).toEqual([own, 'Fog low', 20]);
    expect(bankSoundOf('program 3')).toBe(null);
    const long = soundOfBank({ ...own, name: ` ${'x'.repeat(39)} long` });
    expect(soundSchema.parse(long)).toBe(long);
  });

  it('that are none are refused', () => {
    for (const none of [
      'program 0',
      'program 129',
      'program 1.5',
      'gong',
      'bank a1 0:1 A',
      `bank ${'a1'.repeat(32)} 0:128 A`,
    ])
      expect(soundSchema.safeParse(none).success).toBe(false);
  });
});
