import {
  GeneratorTypes,
  KeyModifier,
  type BasicPreset,
  type Modulator,
  type SpessaSynthProcessor,
} from 'spessasynth_core';
import { SUSTAIN, type KeyMessage } from '../../core/performance/messages';
import type { FurtherBank } from './furtherBank';
import type { ChannelSetting, SoundSetting } from './schedule';

const LOWEST_KEY = 21;
const HIGHEST_KEY = 108;
/** Value at which a controller that shapes a sound leaves it as it is. */
const MIDDLE = 64;
/** Source of a modulator: the velocity, concave, from much to little. */
const FROM_VELOCITY = 0x0502;
/** Tenths of decibels of a modulator that make it 40 dB for a tenth of the velocity. Source: SoundFont 2.04, 8.4.1. */
const WHOLE_AMOUNT = 960;
const PER_DECADE = 40;
/** Velocity whose level stays as it is, however much the velocity decides: an ordinary note's. */
const ORDINARY = 96;

/** A key of one of the library's channels. */
interface Struck {
  readonly place: number;
  readonly key: number;
}

/** A sound of a channel, on a channel of the library's that is its own. */
class Sounding {
  readonly #synth: SpessaSynthProcessor;
  readonly place: number;
  setting: SoundSetting | null = null;
  /** General MIDI's preset, which sounds where a bank's is not here yet. */
  #general: BasicPreset | undefined;
  /** Gains that notes have beside their own level, by their key · 128 + velocity, in that preset or in a bank's. */
  readonly #gains = new Map<BasicPreset, Map<number, number>>();

  constructor(synth: SpessaSynthProcessor, place: number) {
    this.#synth = synth;
    this.place = place;
  }

  get #target() {
    return this.#synth.midiChannels[this.place]!;
  }

  /** @param setting null where it is not to sound */
  set(setting: SoundSetting | null, level: number, bank: FurtherBank | undefined): void {
    const before = this.setting;
    this.setting = setting;
    for (const { controller } of before?.shape ?? []) this.control(controller, MIDDLE);
    if (!setting) return;
    if (before?.program !== setting.program || before.drums !== setting.drums || before.bank !== setting.bank) {
      this.#target.setDrums(setting.drums ?? false);
      this.#synth.programChange(this.place, setting.program);
      this.#general = this.#target.preset;
      if (bank) this.#target.preset = bank.preset;
      else if (!setting.bank) this.#target.preset?.preload(LOWEST_KEY, HIGHEST_KEY);
    }
    for (const { controller, value } of setting.shape) this.control(controller, value);
    if (before?.velocity !== setting.velocity) {
      this.#gains.clear();
      for (let key = 0; key < 128; key += 1) this.#synth.keyModifierManager.deleteMapping(this.place, key);
    }
    this.level = level;
  }

  /** Level of the channel that it belongs to. */
  set level(level: number) {
    // A sound that was taken away rings on.
    if (this.setting) this.#target.setSystemParameter('gain', this.setting.gain * level);
  }

  playFrom(bank: FurtherBank): void {
    this.#target.preset = bank.preset;
  }

  control(controller: number, value: number): void {
    this.#synth.controllerChange(this.place, controller as never, value);
  }

  /** The key that it sounds for another; nothing where it does not. */
  readonly keyFor = (key: number): number | undefined => {
    if (!this.setting) return undefined;
    const [lowest, highest] = this.setting.keys ?? [0, 127];
    const own = key + 12 * (this.setting.octave ?? 0);
    return key < lowest || key > highest || own < 0 || own > 127 ? undefined : own;
  };

  /** Plays a key. A note of a bank that has not come so far is General MIDI's: it would sound without its attack. */
  noteOn(key: number, velocity: number, bank: FurtherBank | undefined): void {
    const target = this.#target;
    const late = bank !== undefined && !bank.hasBegun(key, velocity);
    if (late) target.preset = this.#general;
    this.#setGain(key, velocity);
    this.#synth.noteOn(this.place, key, velocity);
    if (late) target.preset = bank.preset;
  }

  /** Has a note's level follow its velocity as much as it is set to, and its timbre as ever. */
  #setGain(key: number, velocity: number): void {
    const { preset } = this.#target;
    const share = this.setting?.velocity ?? 1;
    if (share === 1 || !preset) return;
    const known = this.#gains.get(preset) ?? new Map<number, number>();
    this.#gains.set(preset, known);
    const note = key * 128 + velocity;
    const gain = known.get(note) ?? 10 ** (((share - 1) * levelOver(preset, key, velocity)) / 20);
    known.set(note, gain);
    const modifier = new KeyModifier();
    modifier.gain = gain;
    this.#synth.keyModifierManager.addMapping(this.place, key, modifier);
  }
}

const isOfVelocity = ({ primarySource, destination }: Modulator): boolean =>
  destination === GeneratorTypes.initialAttenuation && primarySource.toSourceEnum() === FROM_VELOCITY;

/** Decibels that a velocity makes a note louder than an ordinary one does. */
function levelOver(preset: BasicPreset, key: number, velocity: number): number {
  const [voice] = preset.getVoiceParameters(key, velocity);
  const amount = (voice?.modulators ?? []).filter(isOfVelocity).reduce((sum, m) => sum + m.transformAmount, 0);
  return (amount / WHOLE_AMOUNT) * PER_DECADE * Math.log10(velocity / ORDINARY);
}

/** A channel of the instrument: a part's keys, which play one sound or two. */
export class Channel {
  readonly #synth: SpessaSynthProcessor;
  readonly #banks: ReadonlyMap<string, FurtherBank>;
  readonly #sounding: readonly Sounding[];
  /**
   * Notes of each key that have not been released, the oldest first: the keys of the library's channels that sound.
   * The library releases notes one by one, too.
   */
  readonly #struck = new Map<number, (readonly Struck[])[]>();
  /** Samples that a note is about to need: their sound is to be given. */
  readonly #onWanted: (bank: string, samples: readonly number[]) => void;

  /** @param places numbers of the library's channels that are its own, one for each sound that it can have */
  constructor(
    synth: SpessaSynthProcessor,
    places: readonly number[],
    banks: ReadonlyMap<string, FurtherBank>,
    onWanted: (bank: string, samples: readonly number[]) => void,
  ) {
    this.#synth = synth;
    this.#banks = banks;
    this.#sounding = places.map((place) => new Sounding(synth, place));
    this.#onWanted = onWanted;
  }

  #bankOf(setting: SoundSetting | null): FurtherBank | undefined {
    return this.#banks.get(setting?.bank ?? '');
  }

  /** Loads its presets whole, so that no note waits for them. Keys that are held sound on as they were struck. */
  set({ second, level = 1, ...first }: ChannelSetting): void {
    const settings = [first, second];
    for (const [i, sounding] of this.#sounding.entries())
      sounding.set(settings[i] ?? null, level, this.#bankOf(settings[i] ?? null));
  }

  set level(level: number) {
    for (const sounding of this.#sounding) sounding.level = level;
  }

  /** Plays from a bank that has come, where it wants it. Returns whether it does. */
  playFrom(name: string, bank: FurtherBank): boolean {
    const waiting = this.#sounding.filter(({ setting }) => setting?.bank === name);
    for (const sounding of waiting) sounding.playFrom(bank);
    return waiting.length > 0;
  }

  wantsBank(name: string): boolean {
    return this.#sounding.some(({ setting }) => setting?.bank === name);
  }

  /** Asks for what a note needs, before it sounds. */
  want(key: number, velocity: number): void {
    for (const { setting, keyFor } of this.#sounding) {
      const own = keyFor(key);
      const wanted = own === undefined ? [] : (this.#bankOf(setting)?.want(own, velocity) ?? []);
      if (setting?.bank && wanted.length > 0) this.#onWanted(setting.bank, wanted);
    }
  }

  /** Sounds at the start of the piece that is rendered next. Program changes are the part's business, not the keys'. */
  play(message: KeyMessage): void {
    switch (message.type) {
      case 'noteOn':
        this.#noteOn(message.key, message.velocity);
        return;
      case 'noteOff':
        for (const { place, key } of this.#struck.get(message.key)?.shift() ?? []) this.#synth.noteOff(place, key);
        return;
      case 'keyPressure':
        for (const { place, key } of this.#struck.get(message.key)?.flat() ?? [])
          this.#synth.polyPressure(place, key, message.value);
        return;
      // A sound that is not heard now has the pedals as they are when it is.
      case 'control':
        for (const sounding of this.#sounding) sounding.control(message.controller, message.value);
        return;
      case 'bend':
        for (const { place } of this.#sounding) this.#synth.pitchWheel(place, message.value);
        return;
      case 'pressure':
        for (const { place } of this.#sounding) this.#synth.channelPressure(place, message.value);
        return;
      case 'program':
    }
  }

  #noteOn(key: number, velocity: number): void {
    this.want(key, velocity);
    const struck = this.#sounding.flatMap((sounding): Struck[] => {
      const own = sounding.keyFor(key);
      if (own === undefined) return [];
      sounding.noteOn(own, velocity, this.#bankOf(sounding.setting));
      return [{ place: sounding.place, key: own }];
    });
    this.#struck.set(key, [...(this.#struck.get(key) ?? []), struck]);
  }

  /** Something of it was in what was rendered last. */
  get sounds(): boolean {
    return this.#sounding.some(({ place }) => this.#synth.midiChannels[place]!.voiceCount > 0);
  }

  /** Releases every key, and the pedal. */
  release(): void {
    for (const { place, key } of [...this.#struck.values()].flat(2)) this.#synth.noteOff(place, key);
    this.#struck.clear();
    this.play({ type: 'control', controller: SUSTAIN, value: 0 });
  }
}
