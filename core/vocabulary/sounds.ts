import { MOST_PARTS } from './limits';
import { z } from 'zod';
import { GM_FAMILIES, gmName } from './generalMidi';

/** Sounds by names of the program's own; the engine maps them to presets. */
export const SOUNDS = [
  'full grand',
  'concert grand',
  'felt piano',
  'tine piano',
  'reed piano',
  'tonewheel organ',
  'clavi',
  'string section',
  'soft pad',
] as const;
type OwnSound = (typeof SOUNDS)[number];
/**
 * Sound of the program; a General MIDI program, from 1; or a sound of an imported bank, by the file's hash, its bank
 * and program from 0, and its name.
 */
export type Sound = OwnSound | `program ${number}` | `bank ${string}`;

/** Sound of an imported bank. */
export interface BankSound {
  /** SHA-256 of the bank's file, in hex. */
  readonly hash: string;
  readonly bank: number;
  readonly program: number;
  readonly name: string;
}
const BANK_SOUND = /^bank ([0-9a-f]{64}) (\d{1,5}):(\d|[1-9]\d|1[01]\d|12[0-7]) (\S(?:.{0,38}\S)?)$/;

/** @example bankSoundOf('felt piano') // null */
export function bankSoundOf(sound: Sound): BankSound | null {
  const [, hash, bank, program, name] = BANK_SOUND.exec(sound) ?? [];
  return hash && name ? { hash, bank: Number(bank), program: Number(program), name } : null;
}
export const soundOfBank = ({ hash, bank, program, name }: BankSound): Sound =>
  `bank ${hash} ${bank}:${program} ${name.trim().slice(0, 40).trim()}`;

export const soundSchema = z.union([
  z.enum(SOUNDS),
  z.string().regex(/^program ([1-9]|[1-9]\d|1[01]\d|12[0-8])$/),
  z.string().regex(BANK_SOUND),
]) as unknown as z.ZodType<Sound>;

/** General MIDI programs, from 0, nearest to the program's own sounds. */
const PROGRAMS: Readonly<Record<OwnSound, number>> = {
  'full grand': 0,
  'concert grand': 0,
  'felt piano': 1,
  'tine piano': 4,
  'reed piano': 5,
  'tonewheel organ': 16,
  clavi: 7,
  'string section': 48,
  'soft pad': 89,
};
const isOwn = (sound: Sound): sound is OwnSound => sound in PROGRAMS;

/** General MIDI program of a sound, from 0; for a sound of an imported bank, its program number there. */
export const programOf = (sound: Sound): number =>
  isOwn(sound) ? PROGRAMS[sound] : (bankSoundOf(sound)?.program ?? Number(sound.slice('program '.length)) - 1);

/** Sound that plays a General MIDI program, from 0: one of the program's own where there is one. */
export const soundOfProgram = (program: number): Sound =>
  SOUNDS.find((own) => PROGRAMS[own] === program) ?? `program ${program + 1}`;

/** Name of a sound. */
export const soundName = (sound: Sound): string =>
  isOwn(sound) ? sound[0]!.toUpperCase() + sound.slice(1) : (bankSoundOf(sound)?.name ?? gmName(programOf(sound)));

/** All sounds by family, the program's own first. */
export const SOUND_FAMILIES: readonly { readonly family: string; readonly sounds: readonly Sound[] }[] = [
  { family: 'Made for this', sounds: SOUNDS },
  ...GM_FAMILIES.map(({ family, sounds }, i) => ({
    family,
    sounds: sounds.map((_, k): Sound => `program ${i * 8 + k + 1}`),
  })),
];

/** Channel of General MIDI's drums, from 0. */
export const DRUM_CHANNEL = 9;

/** Instrument channel of a part by its index, from 0, skipping the drums'. @example channelOf(9) // 10 */
export const channelOf = (index: number): number => (index < DRUM_CHANNEL ? index : index + 1);

/** Instrument channel of a MIDI backing by its index, after those of the parts. */
export const trackChannelOf = (index: number): number => channelOf(MOST_PARTS) + index;

/**
 * Channel of a part in a MIDI file by its index: further parts share the fifteen that are not drums.
 * @example fileChannelOf(15) // 0
 */
export const fileChannelOf = (index: number): number => channelOf(index % 15);
