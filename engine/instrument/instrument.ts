import { SoundBankLoader, SpessaLog, SpessaSynthProcessor } from 'spessasynth_core';
import type { KeyMessage } from '../../core/performance/messages';
import { MOST_BACKINGS } from '../../core/vocabulary/limits';
import { trackChannelOf } from '../../core/vocabulary/sounds';
import type { Frames, Seconds } from '../../core/time/units';
import type { ClickSound } from '../../core/document/click';
import { Channel } from './channel';
import { Clicker } from './click';
import { FurtherBank, type BankParts, type SampleSound } from './furtherBank';
import type { ChannelSetting, Scheduled } from './schedule';

/** General MIDI's drum channel, from 0. */
const DRUMS = 9;
/** Number of channels: one for each possible part and MIDI backing, and the rhythm's. */
export const CHANNELS = trackChannelOf(MOST_BACKINGS);
/**
 * Number of channels with a possible second sound: those of parts and the rhythm. Second sounds have library channels
 * after all others.
 */
const PARTS = trackChannelOf(0);
/** Most frames that the library renders at once. */
const MOST_FRAMES: Frames = 128;
/** Length of a note's first block, over which the library fades it in; longer would delay it. */
const FIRST: Seconds = 0.001;

/** Time before a scheduled note at which its samples are requested. */
const AHEAD: Seconds = 1.5;

interface Pending {
  readonly frame: Frames;
  /** Message; null only splits the block. */
  readonly what: Scheduled | null;
}

/**
 * Instrument for listening and for bouncing. Events have audio times; blocks are split at events, so that each sounds
 * within a frame of its time.
 */
export class Instrument {
  readonly #synth: SpessaSynthProcessor;
  readonly #channels: readonly Channel[];
  readonly #clicker: Clicker;
  readonly #rate: number;
  readonly #first: Frames;
  #pending: Pending[] = [];
  #next = 0;
  /** First pending event whose samples have not been requested. */
  #ahead = 0;
  /** Keys that the schedule holds down, as channel · 128 + key, with a count. */
  readonly #down = new Map<number, number>();
  clickGain = 1;
  /** Both sides of each library channel. Channels of parts are rendered separately, measured and added. */
  readonly #sides: [Float32Array, Float32Array][];
  readonly #peaks: number[] = [];
  /** True while a voice may sound. */
  #sounds = false;
  /** Banks beside General MIDI's, by name. */
  readonly #banks = new Map<string, FurtherBank>();
  /** Number of further banks so far, which numbers the next. */
  #banksSoFar = 0;
  /** Samples that notes are about to need, and that have to be sent. */
  onWanted: (bank: string, samples: readonly number[]) => void = () => {};

  /** @param bank SoundFont 2 or 3 file with the General MIDI presets */
  static async load(sampleRate: number, bank: ArrayBuffer): Promise<Instrument> {
    const instrument = new Instrument(sampleRate, bank);
    // Samples of the bank are compressed; without the decoder every preset is silent.
    await instrument.#synth.processorInitialized;
    return instrument;
  }

  private constructor(sampleRate: number, bank: ArrayBuffer) {
    SpessaLog.setLogLevel(false, false, false);
    this.#rate = sampleRate;
    this.#first = Math.min(MOST_FRAMES, Math.ceil(FIRST * sampleRate));
    // Dry, as parts are delivered without a room, and the library's reverb takes four times the voices' time.
    this.#synth = new SpessaSynthProcessor(sampleRate, {
      eventsEnabled: false,
      effectsEnabled: false,
      maxBufferSize: MOST_FRAMES,
    });
    this.#synth.soundBankManager.addSoundBank(SoundBankLoader.fromArrayBuffer(bank), 'general');
    while (this.#synth.midiChannels.length < CHANNELS + PARTS) this.#synth.createMIDIChannel();
    // The library leaves the volume of later channels at 0 until a reset.
    this.#synth.reset();
    this.#channels = Array.from({ length: CHANNELS }, (_, channel) => {
      const places = channel < PARTS ? [channel, CHANNELS + channel] : [channel];
      return new Channel(this.#synth, places, this.#banks, (bank, samples) => this.onWanted(bank, samples));
    });
    const own = this.#channels.map((): [Float32Array, Float32Array] => [
      new Float32Array(MOST_FRAMES),
      new Float32Array(MOST_FRAMES),
    ]);
    this.#sides = this.#synth.midiChannels.map((_, place) => own[place % CHANNELS]!);
    this.#clicker = new Clicker(sampleRate);
  }

  #channel(channel: number): Channel {
    const found = this.#channels[channel];
    if (!found) throw new RangeError(`The instrument has ${CHANNELS} channels; there is no channel ${channel}.`);
    return found;
  }

  /** @throws RangeError where there is no such channel */
  setChannel(channel: number, setting: ChannelSetting): void {
    this.#channel(channel).set({ ...setting, drums: setting.drums ?? channel === DRUMS });
  }

  /** Adds a bank, whose samples are silent until `begin` and `give`. */
  addBank(name: string, parts: BankParts): void {
    this.#banksSoFar += 1;
    const bank = new FurtherBank(parts, this.#banksSoFar);
    this.#banks.set(name, bank);
    for (const channel of this.#channels) channel.playFrom(name, bank);
    // Scheduled notes were examined without it.
    this.#ahead = this.#next;
  }

  /** Drops a bank that no channel plays from. Sounding notes ring out. */
  dropBank(name: string): void {
    if (this.#channels.some((channel) => channel.wantsBank(name))) return;
    this.#banks.delete(name);
    // The library caches voices with their sound.
    this.#synth.clearCache();
  }

  /** Takes the beginnings of a bank's samples. */
  begin(bank: string, sounds: readonly SampleSound[]): void {
    for (const sound of sounds) this.#banks.get(bank)?.begin(sound);
  }

  /** Takes complete samples, also for sounding notes. */
  give(bank: string, sounds: readonly SampleSound[]): void {
    for (const sound of sounds) this.#banks.get(bank)?.give(sound);
  }

  /** Bytes of sound in banks beside General MIDI's. */
  get bankBytes(): number {
    return [...this.#banks.values()].reduce((sum, bank) => sum + bank.size, 0);
  }

  /** Sets the gain of a channel, 1 as its sounds have it. */
  setLevel(channel: number, level: number): void {
    this.#channel(channel).level = level;
  }

  /** Tunes all channels but drums. @param cents against an A of 440 Hz */
  setTuning(cents: number): void {
    this.#synth.setSystemParameter('fineTune', cents);
  }

  setClick(sound: ClickSound, gain: number): void {
    this.#clicker.setSound(sound);
    this.clickGain = gain;
  }

  /** Sounds at the start of the next block. */
  play(channel: number, message: KeyMessage): void {
    this.#channel(channel).play(message);
    if (message.type === 'noteOn') this.#sounds = true;
  }

  /**
   * Takes the place of everything scheduled. A note that the old schedule holds sounds on if the new one goes on to
   * release it; the others are released, and the pedals of channels that have nothing more to come, so that nothing
   * hangs.
   * @param splits times at which blocks are split besides: envelopes go on block by block, so sounds that are to add up
   * to a
   *   whole are split where the whole is
   */
  schedule(events: readonly Scheduled[], splits: readonly Seconds[] = []): void {
    const before = new Set(this.#pending.flatMap(({ what }) => (what && 'channel' in what ? [what.channel] : [])));
    const frameOf = (at: Seconds): Frames => Math.round(at * this.#rate);
    this.#pending = [
      ...events.map((what): Pending => ({ frame: frameOf(what.at), what })),
      ...splits.map((at): Pending => ({ frame: frameOf(at), what: null })),
    ].sort((a, b) => a.frame - b.frame);
    this.#next = 0;
    this.#ahead = 0;
    const released = this.#releasedNext();
    for (const [note, times] of this.#down) {
      if (released.has(note)) continue;
      for (let i = 0; i < times; i += 1) this.play(note >> 7, { type: 'noteOff', key: note & 127, velocity: 64 });
      this.#down.delete(note);
    }
    const now = new Set(events.flatMap((e) => ('channel' in e ? [e.channel] : [])));
    for (const channel of before)
      if (!now.has(channel)) this.play(channel, { type: 'control', controller: 64, value: 0 });
  }

  /** Notes for which the schedule's next message is a release. */
  #releasedNext(): Set<number> {
    const released = new Set<number>();
    const seen = new Set<number>();
    for (const { what } of this.#pending) {
      if (!what || !('channel' in what) || (what.message.type !== 'noteOn' && what.message.type !== 'noteOff'))
        continue;
      const note = (what.channel << 7) | what.message.key;
      if (!seen.has(note) && what.message.type === 'noteOff') released.add(note);
      seen.add(note);
    }
    return released;
  }

  /** Ends all sound at once. */
  panic(): void {
    this.#down.clear();
    // Each note needs its release, as the library counts them.
    for (const channel of this.#channels) channel.release();
    this.#synth.stopAllChannels(true);
  }

  #sound(what: Scheduled): void {
    if ('click' in what) {
      this.#clicker.start(what.click);
      return;
    }
    const { channel, message } = what;
    if (message.type === 'noteOn' || message.type === 'noteOff') {
      const note = (channel << 7) | message.key;
      const held = this.#down.get(note) ?? 0;
      // A release without a note in this schedule would end a live one.
      if (message.type === 'noteOff' && held === 0) return;
      const times = held + (message.type === 'noteOn' ? 1 : -1);
      if (times > 0) this.#down.set(note, times);
      else this.#down.delete(note);
    }
    this.play(channel, message);
  }

  #synthesize(left: Float32Array, right: Float32Array, from: Frames, count: Frames): void {
    // Silent channels are not rendered; the library's clock, which only matters within notes, may stand.
    if (!this.#sounds) return;
    this.#synth.processSplit(this.#sides, left, right, 0, count);
    this.#sounds = this.#synth.voiceCount > 0;
    for (const [at, channel] of this.#channels.entries()) {
      if (!channel.sounds) continue;
      let peak = this.#peaks[at] ?? 0;
      for (const [side, own] of this.#sides[at]!.entries()) {
        const sum = side === 0 ? left : right;
        for (let i = 0; i < count; i += 1) {
          const sample = own[i]!;
          sum[from + i]! += sample;
          if (sample > peak) peak = sample;
          else if (-sample > peak) peak = -sample;
        }
        own.fill(0, 0, count);
      }
      this.#peaks[at] = peak;
    }
  }

  #lookAhead(frame: Frames): void {
    const until = frame + AHEAD * this.#rate;
    while (this.#ahead < this.#pending.length && this.#pending[this.#ahead]!.frame < until) {
      const { what } = this.#pending[this.#ahead]!;
      if (what && 'channel' in what && what.message.type === 'noteOn')
        this.#channel(what.channel).want(what.message.key, what.message.velocity);
      this.#ahead += 1;
    }
  }

  /** Peak of each channel since the last call, 1 being full scale. */
  takePeaks(): number[] {
    const peaks = this.#channels.map((_, channel) => this.#peaks[channel] ?? 0);
    this.#peaks.length = 0;
    return peaks;
  }

  /** Renders frames from `frame` on into both sides, which are zero. Late events sound at once. */
  render(left: Float32Array, right: Float32Array, frame: Frames): void {
    this.#lookAhead(frame);
    let done = 0;
    while (done < left.length) {
      let most = MOST_FRAMES;
      while (this.#next < this.#pending.length && this.#pending[this.#next]!.frame <= frame + done) {
        const { what } = this.#pending[this.#next]!;
        if (what) this.#sound(what);
        this.#next += 1;
        most = this.#first;
      }
      const due = this.#pending[this.#next]?.frame ?? Infinity;
      const count = Math.min(left.length - done, due - frame - done, most);
      this.#synthesize(left, right, done, count);
      this.#clicker.render(left, right, done, count, this.clickGain);
      done += count;
    }
  }
}

/**
 * Renders a schedule faster than real time, piece by piece: a whole song is never in memory. The first sample is at
 * 0 s.
 * @param splits see `Instrument.schedule`
 * @param take gets both sides of each piece; they are used again for the next
 * @returns nothing when `take` says to stop
 */
export function bouncePieces(
  instrument: Instrument,
  events: readonly Scheduled[],
  splits: readonly Seconds[],
  take: (left: Float32Array, right: Float32Array) => boolean,
): void {
  instrument.schedule(events, splits);
  const [left, right] = [new Float32Array(PIECE), new Float32Array(PIECE)];
  for (let at = 0; ; at += PIECE) {
    left.fill(0);
    right.fill(0);
    // Rendered in quanta, as on the audio thread.
    for (let done = 0; done < PIECE; done += MOST_FRAMES)
      instrument.render(left.subarray(done, done + MOST_FRAMES), right.subarray(done, done + MOST_FRAMES), at + done);
    if (!take(left, right)) return;
  }
}
const PIECE: Frames = MOST_FRAMES * 64;

/** Renders a schedule to two channels of samples. */
export function bounce(
  instrument: Instrument,
  events: readonly Scheduled[],
  length: Seconds,
  sampleRate: number,
  splits: readonly Seconds[] = [],
): [Float32Array, Float32Array] {
  const frames = Math.ceil(length * sampleRate);
  const sides: [Float32Array, Float32Array] = [new Float32Array(frames), new Float32Array(frames)];
  let at = 0;
  bouncePieces(instrument, events, splits, (...piece) => {
    const count = Math.min(PIECE, frames - at);
    piece.forEach((side, i) => sides[i]!.set(side.subarray(0, count), at));
    at += count;
    return at < frames;
  });
  return sides;
}
