import { z } from 'zod';
import { keyName } from '../performance/messages';
import { gainDb, keyNumber } from '../vocabulary/fields';
import { many } from '../vocabulary/many';
import { soundName, soundSchema } from '../vocabulary/sounds';

/** Octaves by which keys can sound higher or lower. */
export const MOST_OCTAVES = 3;
const octave = z.number().int().min(-MOST_OCTAVES).max(MOST_OCTAVES);

/** Second sound of a part's keys. */
const secondSchema = z
  .object({
    sound: soundSchema,
    octave,
    /** Level against the first one, in dB. */
    gainDb,
    /** Lowest key of the first sound in a split, below which this one sounds; null where both sound together. */
    below: keyNumber.nullable(),
  })
  .readonly();
export type SecondSound = z.infer<typeof secondSchema>;

/** Settings of how the program sounds a part's keys. They leave what was played, and MIDI files, as they are. */
export const toneSchema = z
  .object({
    octave,
    second: secondSchema.nullable(),
    /** Influence of velocity on the level: 1 as the sound has it, 0 none. */
    velocity: z.number().min(0).max(2),
    /** Factor on the release time of the sound. */
    release: z.number().min(0.25).max(4),
  })
  .readonly();
export type Tone = z.infer<typeof toneSchema>;

export const PLAIN_TONE: Tone = { octave: 0, second: null, velocity: 1, release: 1 };

/** @example octaveWords(-1) // '1 octave down' */
export const octaveWords = (octaves: number): string | null =>
  octaves === 0 ? null : `${many(Math.abs(octaves), 'octave')} ${octaves > 0 ? 'up' : 'down'}`;

function secondWords({ sound, below, octave, gainDb }: SecondSound): string {
  const name = soundName(sound);
  const level = gainDb === 0 ? null : `${gainDb > 0 ? '+' : '−'}${Math.abs(gainDb)} dB`;
  const set = [octaveWords(octave), level].filter(Boolean).join(', ');
  return `${below === null ? `with ${name}` : `${name} below ${keyName(below)}`}${set ? ` (${set})` : ''}`;
}

/**
 * Words for the settings of a tone that are not the default.
 * @example toneWords({ octave: -1, second: null, velocity: 1, release: 2 }) // ['1 octave down', 'release × 2']
 */
export const toneWords = ({ octave, second, velocity, release }: Tone): string[] =>
  [
    octaveWords(octave),
    second && secondWords(second),
    velocity === 1 ? null : `level ${Math.round(velocity * 100)} % by velocity`,
    release === 1 ? null : `release × ${release}`,
  ].filter((words) => words !== null);
