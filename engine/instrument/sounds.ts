import { PLAIN_TONE, type Tone } from '../../core/document/tone';
import { gainFromDecibels } from '../../core/time/units';
import { bankSoundOf, programOf, type BankSound, type Sound } from '../../core/vocabulary/sounds';
import type { ChannelSetting, SoundSetting } from './schedule';

/** Bank of the grand, which is made when the program is built. */
export const GRAND = 'grand';

/** Name by which the engine has one sound of a bank that was brought in. */
const bankNameOf = ({ hash, bank, program }: BankSound): string => `${hash}/${bank}-${program}`;

const RELEASE = 72;
/** Value of a controller that leaves a sound as it is. */
const MIDDLE = 64;
/** Octaves of time that the release's controller spans to either side. */
const RELEASE_OCTAVES = 3;

/** Controllers that shape a preset into the sound its name promises, by their numbers. */
const SHAPES: Partial<Record<Sound, Readonly<Record<number, number>>>> = {
  // A felt strip between hammer and string: darker (74), slower (73), longer in its release (72).
  'felt piano': { 74: 38, 73: 70, [RELEASE]: 70 },
  // Softer on top than the preset it is made from.
  'reed piano': { 74: 50 },
};

/** Gains that bring the sounds to about one loudness. */
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

/** Setting of a channel for a sound and its tone, as loud as the sound is. */
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
