import { PLAIN_TONE, type Tone } from '../../core/document/tone';
import { gainFromDecibels } from '../../core/time/units';
import { bankSoundOf, programOf, type BankSound, type Sound } from '../../core/vocabulary/sounds';
import type { ChannelSetting, SoundSetting } from './schedule';

/** Bank of the grand, made when the program is built. */
export const GRAND = 'grand';

/** Engine's name of a sound in an imported bank. */
const bankNameOf = ({ hash, bank, program }: BankSound): string => `${hash}/${bank}-${program}`;

const RELEASE = 72;
/** Neutral value of a controller. */
const MIDDLE = 64;
/** Octaves of time in the range of the release controller, to either side. */
const RELEASE_OCTAVES = 3;

/** Controllers by number that turn a preset into the named sound. */
const SHAPES: Partial<Record<Sound, Readonly<Record<number, number>>>> = {
  // A felt strip between hammer and string: darker (74), slower attack (73), longer release (72).
  'felt piano': { 74: 38, 73: 70, [RELEASE]: 70 },
  // Softer at the top than its preset.
  'reed piano': { 74: 50 },
};

/** Gains that make the sounds equally loud. */
const GAINS: Partial<Record<Sound, number>> = { 'full grand': 0.45, 'tonewheel organ': 0.7, clavi: 0.7 };

function soundSetting(sound: Sound, { octave, velocity, release }: Omit<Tone, 'second'>): SoundSetting {
  const shape: Record<number, number> = { ...SHAPES[sound] };
  if (release !== 1)
    shape[RELEASE] = Math.round((shape[RELEASE] ?? MIDDLE) + (MIDDLE / RELEASE_OCTAVES) * Math.log2(release));
  const own = bankSoundOf(sound);
  const bank = own ? bankNameOf(own) : GRAND;
  return {
    program: sound === 'felt piano' ? 0 : programOf(sound),
    gain: GAINS[sound] ?? 1,
    shape: Object.entries(shape).map(([n, value]) => ({ type: 'control', controller: Number(n), value })),
    ...(own || sound === 'full grand' ? { bank } : {}),
    ...(octave === 0 ? {} : { octave }),
    ...(velocity === 1 ? {} : { velocity }),
  };
}

/** Setting of a channel for a sound and its tone, at equal loudness. */
export function settingOf(sound: Sound, tone: Tone = PLAIN_TONE): ChannelSetting {
  const { second } = tone;
  const first = soundSetting(sound, tone);
  if (!second) return first;
  const { gain, ...rest } = soundSetting(second.sound, { ...tone, octave: second.octave });
  const other = { ...rest, gain: gain * gainFromDecibels(second.gainDb) };
  return second.below === null
    ? { ...first, second: other }
    : { ...first, keys: [second.below, 127], second: { ...other, keys: [0, second.below - 1] } };
}
