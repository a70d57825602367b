import type { Seconds } from '../time/units';
import { DamagedFile } from './damaged';

/** Kind of a file by its bytes, whatever its name. */
export type FileKind = SoundKind | PageKind | BankKind | 'midi' | 'unknown';
type SoundKind = 'wav' | 'aiff' | 'mp3' | 'flac' | 'ogg';
/** Kinds of sound banks. */
type BankKind = 'sf2' | 'dls';
export const isBankKind = (kind: FileKind): kind is BankKind => kind === 'sf2' || kind === 'dls';
/** Kinds of files with pages of music. */
const PAGE_KINDS = ['pdf', 'png', 'jpeg', 'webp'] as const;
type PageKind = (typeof PAGE_KINDS)[number];
export const isPageKind = (kind: FileKind): kind is PageKind => (PAGE_KINDS as readonly FileKind[]).includes(kind);

/** Longest sound in seconds; a header that claims more is wrong. */
const LONGEST: Seconds = 90 * 60;
/** Number of bytes at a file's start that are examined. */
export const HEAD_BYTES = 4096;
const MOST_CHANNELS = 32;
const HIGHEST_RATE = 768_000;
/** Largest sound bank, as places in it are 32-bit numbers. */
const LARGEST_BANK = 2 ** 31;
/** Size in the header of a WAV that was written as a stream; some write 0. */
const UNSAID = 0xffffffff;

const LATIN = new TextDecoder('latin1');
const word = (bytes: Uint8Array, at: number): string => String.fromCharCode(...bytes.subarray(at, at + 4));

/** @param head first bytes of the file */
export function kindOfFile(head: Uint8Array): FileKind {
  const first = word(head, 0);
  if (first === 'RIFF' || first === 'RF64') {
    const form = word(head, 8);
    if (form === 'WEBP') return 'webp';
    if (form === 'sfbk') return 'sf2';
    if (form === 'DLS ') return 'dls';
    return form === 'WAVE' ? 'wav' : 'unknown';
  }
  if (first === '\x89PNG') return 'png';
  if (head[0] === 0xff && head[1] === 0xd8 && head[2] === 0xff) return 'jpeg';
  // Some writers put bytes ahead of it.
  if (LATIN.decode(head.subarray(0, 1024)).includes('%PDF-')) return 'pdf';
  if (first === 'FORM') return ['AIFF', 'AIFC'].includes(word(head, 8)) ? 'aiff' : 'unknown';
  if (first === 'fLaC') return 'flac';
  if (first === 'OggS') return 'ogg';
  if (first === 'MThd') return 'midi';
  if (first.startsWith('ID3')) return 'mp3';
  // MPEG frame: eleven bits set, then a valid version and layer.
  if (head[0] === 0xff && (head[1]! & 0xe0) === 0xe0 && (head[1]! & 0x18) !== 0x08 && (head[1]! & 0x06) !== 0)
    return 'mp3';
  return 'unknown';
}

function checkFormat(channels: number, rate: number): void {
  if (channels === 0) throw new DamagedFile('The file says it has no channels.');
  if (channels > MOST_CHANNELS) throw new DamagedFile(`The file says it has ${channels} channels.`);
  if (rate < 1000 || rate > HIGHEST_RATE) throw new DamagedFile(`The file says it has ${rate} samples a second.`);
}

function checkLength(length: Seconds): void {
  if (length > LONGEST)
    throw new DamagedFile(
      `The file says it lasts ${Math.round(length / 60)} minutes; a backing lasts at most ${LONGEST / 60}.`,
    );
}

function checkWav(head: Uint8Array, size: number): void {
  const view = new DataView(head.buffer, head.byteOffset, head.byteLength);
  let rate = 0;
  let bytesASecond = 0;
  for (let at = 12; at + 8 <= head.length;) {
    const length = view.getUint32(at + 4, true);
    const name = word(head, at);
    if (name === 'fmt ') {
      if (length < 16 || at + 24 > head.length) throw new DamagedFile('The WAV file’s header is cut short.');
      rate = view.getUint32(at + 12, true);
      bytesASecond = view.getUint32(at + 16, true);
      checkFormat(view.getUint16(at + 10, true), rate);
    } else if (name === 'data') {
      if (rate === 0) throw new DamagedFile('The WAV file does not say how its sound is written.');
      const open = length === UNSAID || length === 0;
      const there = size - at - 8;
      if (there <= 0) throw new DamagedFile('The WAV file holds no sound.');
      if (!open && length > there + 1)
        throw new DamagedFile(
          `The WAV file is cut short: ${Math.round((100 * there) / length)}% of its sound is there.`,
        );
      if (bytesASecond > 0) checkLength((open ? there : length) / bytesASecond);
      return;
    }
    at += 8 + length + (length % 2);
    if (at > size) throw new DamagedFile('The WAV file is cut short inside its header.');
    // Content after a long block of tags is left to the decoder.
    if (at + 8 > head.length && size > head.length) return;
  }
  throw new DamagedFile('The WAV file holds no sound.');
}

function checkAiff(head: Uint8Array, size: number): void {
  const view = new DataView(head.buffer, head.byteOffset, head.byteLength);
  if (view.getUint32(4) > size) throw new DamagedFile('The AIFF file is cut short.');
  for (let at = 12; at + 10 <= head.length; at += 8 + view.getUint32(at + 4) + (view.getUint32(at + 4) % 2)) {
    if (word(head, at) !== 'COMM') continue;
    if (view.getUint16(at + 8) === 0) throw new DamagedFile('The file says it has no channels.');
    return;
  }
}

function checkFlac(head: Uint8Array, size: number): void {
  if (size < 42 || head.length < 26) throw new DamagedFile('The FLAC file is cut short inside its header.');
  const rate = (head[18]! << 12) | (head[19]! << 4) | (head[20]! >> 4);
  const channels = ((head[20]! >> 1) & 7) + 1;
  checkFormat(channels, rate);
  const samples = (head[21]! & 15) * 2 ** 32 + head[22]! * 2 ** 24 + head[23]! * 2 ** 16 + head[24]! * 256 + head[25]!;
  checkLength(samples / rate);
}

function checkBank(head: Uint8Array, size: number): void {
  const said = 8 + new DataView(head.buffer, head.byteOffset, head.byteLength).getUint32(4, true);
  if (size < said)
    throw new DamagedFile(`The sound bank is cut short: ${Math.floor((100 * size) / said)}% of it is there.`);
  if (size > LARGEST_BANK) throw new DamagedFile('The sound bank is larger than 2 GB.');
}

/**
 * Looks at a sound file's header before anything is decoded or stored: decoders forgive much, and ask for memory
 * by what the header claims.
 * @param head the first `HEAD_BYTES`, or the whole when it is shorter
 * @param size the whole file's, in bytes
 * @throws DamagedFile with what is wrong with it
 */
export function checkSound(head: Uint8Array, size: number): SoundKind {
  if (size === 0) throw new DamagedFile('The file is empty.');
  const kind = kindOfFile(head);
  if (kind === 'midi' || kind === 'unknown' || isPageKind(kind) || isBankKind(kind))
    throw new DamagedFile(
      'This is neither sound, MIDI nor pages that can be read here: WAV, MP3, FLAC, OGG, AIFF where the browser ' +
        'can, MIDI files, PDFs and pictures come in.',
    );
  if (head.length < 12) throw new DamagedFile('The file is cut short inside its header.');
  if (kind === 'wav') checkWav(head, size);
  if (kind === 'aiff') checkAiff(head, size);
  if (kind === 'flac') checkFlac(head, size);
  return kind;
}

/**
 * Checks the header of any file that can be stored: sound, MIDI, pages or a sound bank.
 * @param head the first `HEAD_BYTES`, or the whole when it is shorter
 * @throws DamagedFile with what is wrong with it
 */
export function checkSongFile(head: Uint8Array, size: number): Exclude<FileKind, 'unknown'> {
  const kind = kindOfFile(head);
  if (isBankKind(kind)) checkBank(head, size);
  return kind === 'midi' || isPageKind(kind) || isBankKind(kind) ? kind : checkSound(head, size);
}

/** @throws DamagedFile where the decoded sound is empty */
export function checkDecoded(channels: number, length: Seconds, silent: boolean): void {
  if (channels === 0 || length === 0) throw new DamagedFile('There is no sound in the file.');
  checkLength(length);
  if (silent) throw new DamagedFile('The file is silent from its start to its end.');
}

export const MEDIA_TYPES: Readonly<Record<Exclude<FileKind, 'unknown'>, string>> = {
  wav: 'audio/wav',
  aiff: 'audio/aiff',
  mp3: 'audio/mpeg',
  flac: 'audio/flac',
  ogg: 'audio/ogg',
  midi: 'audio/midi',
  pdf: 'application/pdf',
  png: 'image/png',
  jpeg: 'image/jpeg',
  webp: 'image/webp',
  // Neither has a registered media type.
  sf2: 'audio/x-sf2',
  dls: 'audio/x-dls',
};
