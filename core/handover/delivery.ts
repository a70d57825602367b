import { z } from 'zod';
import { id, someOf } from '../vocabulary/fields';

export const RATES = [44_100, 48_000, 96_000] as const;
export const DEPTHS = ['24-bit', '32-bit float'] as const;
export const RESOLUTIONS = [96, 192, 240, 384, 480, 960] as const;
export const MIDI_FILES = ['none', 'together', 'apart', 'both'] as const;
export const AUDIO_FILES = ['none', 'dry', 'with level', 'both'] as const;
export const CLICKS = ['none', 'accented', 'plain'] as const;
export const ENDS = ['song', 'rung out'] as const;

const choices = z.object({
  /** Parts that stay at home; any other that has notes goes out. */
  leftOut: z.array(id).max(2000).readonly(),
  /** One file with all parts, one for each, or both. */
  midi: z.enum(MIDI_FILES),
  /** Type of a file for one part: 0 is one track, 1 has tempo and markers in a track of their own. */
  midiType: z.union([z.literal(0), z.literal(1)]),
  /** Ticks to a quarter note. */
  resolution: z.union(RESOLUTIONS.map((r) => z.literal(r))),
  /** Beside what is treated, what was played: no change by hand, no treatment. */
  asPlayed: z.boolean(),
  /** Each part's sound at its own level, at the level it has in the song, or both. */
  audio: z.enum(AUDIO_FILES),
  format: z.enum(['wav', 'flac']),
  rate: z.union(RATES.map((r) => z.literal(r))),
  depth: z.enum(DEPTHS),
  /** Added to every part's audio alike, in dB, so that none of it clips and the sum stays the mix. */
  trimDb: z.number().min(-40).max(12),
  /** End of sound: with the song, or rung out; then all files are as long as the longest. */
  ends: z.enum(ENDS),
  /** {job} {song} {part} {tempo} {key} {version} */
  names: z.string().trim().min(1).max(120),
  click: z.enum(CLICKS),
  /** The song's backings, as they came, for reference. */
  backing: z.boolean(),
  /** A MIDI file of tempo, meter and sections alone. */
  tempoMap: z.boolean(),
  /** Sections as markers, in MIDI and in sound files. */
  markers: z.boolean(),
  /** Cue sheet and delivery note. */
  sheets: z.boolean(),
  /** The song's tuning, as fine tuning at the head of each track of the MIDI files. */
  tuned: z.boolean().default(false),
  /** The client's own pages, as they came. */
  pages: z.boolean().default(false),
});

/** Delivery of a client: chosen once for a job, and written again for each version. */
export const deliverySchema = choices.readonly();
export type Delivery = z.infer<typeof deliverySchema>;
/** Some of it, chosen anew; the rest stays. */
export const deliveryChangeSchema = someOf(choices.shape);

export const sameDelivery = (a: Delivery, b: Delivery): boolean =>
  JSON.stringify(deliverySchema.parse(a)) === JSON.stringify(deliverySchema.parse(b));

export const USUAL_DELIVERY: Delivery = {
  leftOut: [],
  midi: 'both',
  midiType: 1,
  resolution: 960,
  asPlayed: false,
  audio: 'dry',
  format: 'wav',
  rate: 48_000,
  depth: '24-bit',
  trimDb: 0,
  ends: 'song',
  names: '{song} - {part}',
  click: 'none',
  backing: false,
  tempoMap: false,
  markers: true,
  sheets: true,
  tuned: false,
  pages: false,
};

/** 32-bit float has no place in FLAC: those files are WAV. */
export const formatOf = ({ format, depth }: Pick<Delivery, 'format' | 'depth'>): 'wav' | 'flac' =>
  depth === '32-bit float' ? 'wav' : format;

/** Facts that a name's pattern can say. */
export interface NameFacts {
  readonly job: string;
  readonly song: string;
  readonly part: string;
  readonly tempo: string;
  readonly key: string;
  readonly version: number;
}

const LONGEST_STEM = 180;
/** Names that one system or another keeps for itself. */
const KEPT_NAMES = /^(con|prn|aux|nul|com\d|lpt\d)$/i;

/** Stand-in for a name that leaves nothing a file system takes, as one of dots alone. */
const NAMELESS = 'unnamed';

/** Text as every system takes it in a file's name. */
const tame = (text: string): string => {
  const words = text
    .normalize('NFC')
    .replaceAll(/[^\p{L}\p{M}\p{N} _.,'()♭♯-]+/gu, '_')
    .replaceAll(/\s+/g, ' ')
    .replaceAll(/^[ .-]+|[ .-]+$/g, '');
  return KEPT_NAMES.test(words) ? `${words}_` : words;
};

/** Cut so that no letter is cut in two. */
function cutTo(text: string, bytes: number): string {
  const letters = [...text];
  const size = (all: readonly string[]) => new TextEncoder().encode(all.join('')).length;
  while (size(letters) > bytes) letters.pop();
  return letters.join('').trim();
}

/** A name for a folder, or a file's without its ending. */
export const stemOf = (words: string): string => cutTo(tame(words), LONGEST_STEM) || 'file';

/**
 * A file's name from some words.
 * @example fileName('Reed Lane - Piano', 'mid') // 'Reed Lane - Piano.mid'
 */
export const fileName = (words: string, ending: string): string => `${stemOf(words)}.${ending}`;

/**
 * A file's name without its ending, by the delivery's pattern. A placeholder with nothing to say goes with the
 * punctuation before it.
 */
export function nameBy(pattern: string, facts: NameFacts): string {
  const said: Readonly<Record<string, string>> = { ...facts, version: `v${facts.version}` };
  const filled = pattern.replaceAll(/([ _-]*)\{(\w+)\}/g, (_, before: string, word: string) => {
    const text = word in said ? tame(said[word]!) || (said[word]!.trim() && NAMELESS) : `{${word}}`;
    return text ? before + text : '';
  });
  return stemOf(filled);
}

/**
 * The same names, each once: the second "Piano" is "Piano 2". Systems that do not tell capitals apart are minded.
 * @example eachOnce(['a.mid', 'a.mid']) // ['a.mid', 'a 2.mid']
 */
export function eachOnce(names: readonly string[]): string[] {
  const taken = new Set<string>();
  return names.map((name) => {
    const dot = name.lastIndexOf('.');
    for (let n = 1; ; n += 1) {
      const own = n === 1 ? name : `${name.slice(0, dot)} ${n}${name.slice(dot)}`;
      if (taken.has(own.toLowerCase())) continue;
      taken.add(own.toLowerCase());
      return own;
    }
  });
}

/** Control that a phrase of the delivery's sentence opens. */
export type DeliveryControl = 'parts' | 'midi' | 'audio' | 'ends' | 'names' | 'extras' | 'key';
export interface DeliveryPhrase {
  readonly text: string;
  readonly control?: DeliveryControl;
}

export const list = (all: readonly string[]): string =>
  all.length < 2 ? (all[0] ?? '') : `${all.slice(0, -1).join(', ')} and ${all.at(-1)}`;
/** @example rateWords(48_000) // '48 kHz' */
export const rateWords = (rate: number): string => `${rate / 1000} kHz`;

function midiWords({ midi, midiType, resolution, asPlayed, tuned }: Delivery): string {
  const files = { none: '', together: 'one file', apart: 'a file each', both: 'one file and a file each' }[midi];
  if (!files) return 'no MIDI';
  const type = midi !== 'together' && midiType === 0 ? ', type 0' : '';
  const beside = `${tuned ? ' and the tuning' : ''}${asPlayed ? ', as played beside it' : ''}`;
  return `MIDI in ${files}${type}, ${resolution} ticks${beside}`;
}
function audioWords(delivery: Delivery): string {
  const { audio, rate, depth, trimDb } = delivery;
  if (audio === 'none') return 'no audio';
  const which = { dry: 'dry', 'with level': 'with level', both: 'dry and with level' }[audio];
  const trim = trimDb === 0 ? '' : `, ${trimDb > 0 ? '+' : '−'}${Math.abs(trimDb)} dB`;
  return `audio ${which}, ${formatOf(delivery).toUpperCase()} ${rateWords(rate)} ${depth}${trim}`;
}

/**
 * The delivery as a sentence; what is not in it does not affect the files.
 * @param parts how many go out, of how many; and those that do this time alone, in words
 */
export function deliveryPhrases(
  delivery: Delivery,
  parts: { readonly going: number; readonly all: number; readonly once?: string },
  key: string | null,
): DeliveryPhrase[] {
  const all = { 1: 'the part', 2: 'both parts' }[parts.all] ?? `all ${parts.all} parts`;
  const some = parts.going === 0 ? 'no part' : `${parts.going} of ${parts.all} parts`;
  const which = parts.going === parts.all ? all : some;
  const extras = [
    ...(delivery.click === 'none' ? [] : [delivery.click === 'plain' ? 'a plain click' : 'a click with accents']),
    ...(delivery.backing ? ['backings'] : []),
    ...(delivery.tempoMap ? ['a tempo map'] : []),
    ...(delivery.sheets ? ['sheets'] : []),
    ...(delivery.pages ? ['your pages'] : []),
    delivery.markers ? 'markers' : 'no markers',
  ];
  return [
    { text: 'Hand over ' },
    { text: parts.once ? `${parts.once}, this time` : which, control: 'parts' },
    { text: ': ' },
    { text: midiWords(delivery), control: 'midi' },
    { text: '; ' },
    { text: audioWords(delivery), control: 'audio' },
    { text: '; from bar 1, ' },
    { text: delivery.ends === 'song' ? 'as long as the song' : 'rung out', control: 'ends' },
    { text: '; ' },
    { text: key ? `in ${key}` : 'key not given', control: 'key' },
    { text: '; with ' },
    { text: list(extras), control: 'extras' },
    { text: '; named ' },
    { text: delivery.names, control: 'names' },
    { text: '.' },
  ];
}
