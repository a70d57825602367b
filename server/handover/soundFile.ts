import { join } from 'node:path';
import { SoundBankLoader, SpessaLog } from 'spessasynth_core';
import {
  closeSync,
  fsyncSync,
  ftruncateSync,
  openSync,
  readFileSync,
  renameSync,
  rmSync,
  writeFileSync,
  writeSync,
} from 'node:fs';
import { DamagedFile } from '../../core/files/damaged';
import { bytesPerSample, interleave, wavHeader } from '../../core/files/wav';
import { LoudnessMeter } from '../../core/handover/loudness';
import type { Frames } from '../../core/time/units';
import { BankFile } from '../../engine/banks/bankFile';
import { addWholeBank } from '../../engine/banks/wholeBank';
import { bouncePieces, Instrument } from '../../engine/instrument/instrument';
import { banksOf } from '../../engine/instrument/schedule';
import { readOnePreset } from '../store/banks';
import { writeFlac } from './flac';
import { SILENT } from './silence';
import type { BankPaths, BankTask, Bounced, BounceTask, FinishTask } from './task';

/** Seconds of silence after which sound has rung out. */
const RUNG_OUT = 0.25;
/** Number of frames between reports of progress. */
const SAID_EVERY: Frames = 24_000;

const known = new Map<string, Uint8Array>();
function bankOf(path: string): Uint8Array<ArrayBuffer> {
  const bytes = known.get(path) ?? readFileSync(path);
  known.set(path, bytes);
  // The instrument keeps the bytes that it is given.
  return Uint8Array.from(bytes);
}

/** Further bank by its name: one that ships, or a sound of an imported bank. */
async function furtherBank({ further }: BankPaths, own: string, name: string): Promise<BankFile> {
  const path = further[name];
  if (path) return BankFile.read(bankOf(path));
  const [, hash = '', bank, program] = /^([0-9a-f]{64})\/(\d+)-(\d+)$/.exec(name) ?? [];
  const pieces: Uint8Array[] = [];
  const wanted = { bank: Number(bank), program: Number(program) };
  for await (const piece of readOnePreset(join(own, hash), wanted)) pieces.push(piece);
  return BankFile.read(Uint8Array.from(Buffer.concat(pieces)));
}

/** @throws DamagedFile for an unreadable bank */
export function convertBank({ path, to }: BankTask): void {
  const bytes = Uint8Array.from(readFileSync(path)).buffer;
  try {
    SpessaLog.setLogLevel(false, false, false);
    writeFileSync(to, new Uint8Array(SoundBankLoader.fromArrayBuffer(bytes).writeSF2()));
  } catch (cause) {
    throw new DamagedFile('The sound bank (DLS) is damaged: it cannot be read.', { cause });
  }
}

/** Bounces a part or the click into a file. */
export async function bounceTo(
  banks: BankPaths,
  { path, facts, channel, ownBanks, tuning, click, events, splits, frames, most }: BounceTask,
  said: (frames: Frames) => void,
): Promise<Bounced> {
  // A new instrument for each task, so that the result depends on the task alone.
  const instrument = await Instrument.load(facts.rate, bankOf(banks.general).buffer);
  for (const further of channel ? banksOf(channel.setting) : [])
    addWholeBank(instrument, further, await furtherBank(banks, ownBanks, further));
  if (channel) instrument.setChannel(channel.number, channel.setting);
  instrument.setTuning(tuning);
  if (click) instrument.setClick(click.sound, click.gain);
  const meter = new LoudnessMeter(facts.rate, facts.channels);
  const file = openSync(path, 'w');
  try {
    let place = writeSync(file, wavHeader(facts, 0));
    let made = 0;
    let sounds = 0;
    let unsaid = 0;
    const size = bytesPerSample(facts.format) * facts.channels;
    bouncePieces(instrument, events, splits, (left, right) => {
      const count = Math.min(left.length, most - made);
      const sides = [left.subarray(0, count), right.subarray(0, count)];
      meter.add(sides);
      const bytes = new Uint8Array(count * size);
      interleave(sides, facts.format, bytes);
      place += writeSync(file, bytes, 0, bytes.length, place);
      for (let i = count - 1; i >= 0; i -= 1) {
        if (Math.abs(left[i]!) < SILENT && Math.abs(right[i]!) < SILENT) continue;
        sounds = made + i + 1;
        break;
      }
      made += count;
      unsaid += count;
      if (unsaid >= SAID_EVERY) {
        said(unsaid);
        unsaid = 0;
      }
      const rung = made >= frames && made - sounds > facts.rate * RUNG_OUT;
      return made < most && !rung;
    });
    said(unsaid);
    return { frames: Math.min(most, Math.max(frames, sounds)), levels: meter.levels() };
  } finally {
    closeSync(file);
  }
}

/** Number of bytes of silence written at once. */
const SILENCE = new Uint8Array(1 << 16);

/** Gives a bounced file its final length and header, or encodes it as FLAC. */
export async function finishFile({ path, facts, from, frames, container }: FinishTask): Promise<void> {
  const size = bytesPerSample(facts.format) * facts.channels;
  const head = wavHeader(facts, frames);
  const end = head.length + frames * size;
  const file = openSync(path, 'r+');
  try {
    // Ringing beyond the common length is cut.
    for (let at = head.length + from * size; at < end;)
      at += writeSync(file, SILENCE, 0, Math.min(SILENCE.length, end - at), at);
    writeSync(file, head, 0, head.length, 0);
    const padding = (frames * size) % 2;
    if (padding) writeSync(file, SILENCE, 0, padding, end);
    // Bytes after the common end would be outside the file's chunks.
    ftruncateSync(file, end + padding);
    fsyncSync(file);
  } finally {
    closeSync(file);
  }
  if (container === 'wav') return;
  await writeFlac(path, head.length, `${path}.flac`, { channels: facts.channels, rate: facts.rate, frames });
  rmSync(path);
  renameSync(`${path}.flac`, path);
}
