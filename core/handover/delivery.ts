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
  /** Parts that are left out; others go out if they have notes. */
  leftOut: z.array(id).max(2000).readonly(),
  /** MIDI files: one with all parts, one for each, or both. */
  midi: z.enum(MIDI_FILES),
  /** Type of a single part's MIDI file: 0 has one track, 1 a separate track of tempo and markers. */
  midiType: z.union([z.literal(0), z.literal(1)]),
  /** Ticks to a quarter note. */
  resolution: z.union(RESOLUTIONS.map((r) => z.literal(r))),
  /** True to add what was played, without hand edits and treatments. */
  asPlayed: z.boolean(),
  /** Audio of each part at its own level, at its level in the mix, or both. */
  audio: z.enum(AUDIO_FILES),
  format: z.enum(['wav', 'flac']),
  rate: z.union(RATES.map((r) => z.literal(r))),
  depth: z.enum(DEPTHS),
  /** Gain of all parts' audio in dB, so that none clips and their sum stays the mix. */
  trimDb: z.number().min(-40).max(12),
  /** End of the audio: the song's, or rung out, when all files are as long as the longest. */
  ends: z.enum(ENDS),
  /** Pattern with {job} {song} {part} {tempo} {key} {version}. */
  names: z.string().trim().min(1).max(120),
  click: z.enum(CLICKS),
  /** True to add the song's audio backings as they came. */
  backing: z.boolean(),
  /** True to add a MIDI file of tempo, meter and sections alone. */
  tempoMap: z.boolean(),
  /** True for sections as markers, in MIDI and sound files. */
  markers: z.boolean(),
  /** True to add a cue sheet and a delivery note. */
  sheets: z.boolean(),
  /** True to write the song's tuning as fine tuning at the head of each track of MIDI files. */
  tuned: z.boolean().default(false),
  /** True to add the client's own pages. */
  pages: z.boolean().default(false),
});

/** Delivery for a client, set for a job and remembered with each version. */
export const deliverySchema = choices.readonly();
export type Delivery = z.infer<typeof deliverySchema>;
/** Changes of some settings. */
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

/** FLAC has no 32-bit float: those files are WAV. */
export const formatOf = ({ format, depth }: Pick<Delivery, 'format' | 'depth'>): 'wav' | 'flac' =>
  depth === '32-bit float' ? 'wav' : format;

/** Values for the placeholders of a file name. */
export interface NameFacts {
  readonly job: string;
  readonly song: string;
  readonly part: string;
  readonly tempo: string;
  readonly key: string;
  readonly version: number;
}

const LONGEST_STEM = 180;
/** Names that some system reserves. */
const KEPT_NAMES = /^(con|prn|aux|nul|com\d|lpt\d)$/i;

/** Name instead of one that is empty or of dots alone. */
const NAMELESS = 'unnamed';

/** Text reduced to what every system accepts in a file name. */
const tame = (text: string): string => {
  const words = text
    .normalize('NFC')
    .replaceAll(/[^\p{L}\p{M}\p{N} _.,'()♭♯-]+/gu, '_')
    .replaceAll(/\s+/g, ' ')
    .replaceAll(/^[ .-]+|[ .-]+$/g, '');
  return KEPT_NAMES.test(words) ? `${words}_` : words;
};

/** Text cut between characters. */
function cutTo(text: string, bytes: number): string {
  const letters = [...text];
  const size = (all: readonly string[]) => new TextEncoder().encode(all.join('')).length;
  while (size(letters) > bytes) letters.pop();
  return letters.join('').trim();
}

/** Name of a folder, or of a file without its ending. */
export const stemOf = (words: string): string => cutTo(tame(words), LONGEST_STEM) || 'file';

/** File name from some words. @example fileName('Reed Lane - Piano', 'mid') // 'Reed Lane - Piano.mid' */
export const fileName = (words: string, ending: string): string => `${stemOf(words)}.${ending}`;

/**
 * File name without its ending, from the delivery's pattern. An empty placeholder is dropped with the punctuation
 * before it.
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
 * Names made unique: the second "Piano" becomes "Piano 2". Capitals do not count, as some systems ignore them.
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

/** Setting that a phrase of the delivery's sentence opens. */
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
 * Sentence of the delivery. What it does not say does not affect the files.
 * @param parts number that goes out, of how many; and those of this time, in words
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
