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
/** Neutral value of a controller that shapes a sound. */
const MIDDLE = 64;
/** Source of a modulator: velocity, concave, decreasing. */
const FROM_VELOCITY = 0x0502;
/**
 * Amount of a modulator, in centibels, for 40 dB between full and a tenth of the velocity. Source: SoundFont 2.04,
 * 8.4.1.
 */
const WHOLE_AMOUNT = 960;
const PER_DECADE = 40;
/** Velocity whose level is independent of the velocity setting: an ordinary note's. */
const ORDINARY = 96;

/** Key on one of the library's channels. */
interface Struck {
  readonly place: number;
  readonly key: number;
}

/** Sound of a channel, on a library channel of its own. */
class Sounding {
  readonly #synth: SpessaSynthProcessor;
  readonly place: number;
  setting: SoundSetting | null = null;
  /** General MIDI preset that sounds while a bank's is not loaded. */
  #general: BasicPreset | undefined;
  /** Extra gain of notes, by key · 128 + velocity, in that preset or a bank's. */
  readonly #gains = new Map<BasicPreset, Map<number, number>>();

  constructor(synth: SpessaSynthProcessor, place: number) {
    this.#synth = synth;
    this.place = place;
  }

  get #target() {
    return this.#synth.midiChannels[this.place]!;
  }

  /** @param setting null to sound nothing */
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

  /** Gain of its channel. */
  set level(level: number) {
    // A sound that was removed rings out.
    if (this.setting) this.#target.setSystemParameter('gain', this.setting.gain * level);
  }

  playFrom(bank: FurtherBank): void {
    this.#target.preset = bank.preset;
  }

  control(controller: number, value: number): void {
    this.#synth.controllerChange(this.place, controller as never, value);
  }

  /** Key that it sounds for another; undefined where it sounds none. */
  readonly keyFor = (key: number): number | undefined => {
    if (!this.setting) return undefined;
    const [lowest, highest] = this.setting.keys ?? [0, 127];
    const own = key + 12 * (this.setting.octave ?? 0);
    return key < lowest || key > highest || own < 0 || own > 127 ? undefined : own;
  };

  /** Plays a key. A note of a bank that is not loaded so far is played by General MIDI, as it would lack its attack. */
  noteOn(key: number, velocity: number, bank: FurtherBank | undefined): void {
    const target = this.#target;
    const late = bank !== undefined && !bank.hasBegun(key, velocity);
    if (late) target.preset = this.#general;
    this.#setGain(key, velocity);
    this.#synth.noteOn(this.place, key, velocity);
    if (late) target.preset = bank.preset;
  }

  /** Sets how much a note's level follows velocity; its timbre stays as it is. */
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

/** Decibels by which a velocity is louder than an ordinary note's. */
function levelOver(preset: BasicPreset, key: number, velocity: number): number {
  const [voice] = preset.getVoiceParameters(key, velocity);
  const amount = (voice?.modulators ?? []).filter(isOfVelocity).reduce((sum, m) => sum + m.transformAmount, 0);
  return (amount / WHOLE_AMOUNT) * PER_DECADE * Math.log10(velocity / ORDINARY);
}

/** Channel of the instrument: keys that play one sound or two. */
export class Channel {
  readonly #synth: SpessaSynthProcessor;
  readonly #banks: ReadonlyMap<string, FurtherBank>;
  readonly #sounding: readonly Sounding[];
  /**
   * Unreleased notes of each key, the oldest first, with the library's keys that sound. The library releases notes one
   * by one as well.
   */
  readonly #struck = new Map<number, (readonly Struck[])[]>();
  /** Samples that notes are about to need, and that have to be sent. */
  readonly #onWanted: (bank: string, samples: readonly number[]) => void;

  /** @param places numbers of its library channels, one for each possible sound */
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

  /** Loads its presets, so that no note waits for them. Held keys sound on with the old ones. */
  set({ second, level = 1, ...first }: ChannelSetting): void {
    const settings = [first, second];
    for (const [i, sounding] of this.#sounding.entries())
      sounding.set(settings[i] ?? null, level, this.#bankOf(settings[i] ?? null));
  }

  set level(level: number) {
    for (const sounding of this.#sounding) sounding.level = level;
  }

  /** Switches to a bank that has been loaded, where it uses it. @returns true if it does */
  playFrom(name: string, bank: FurtherBank): boolean {
    const waiting = this.#sounding.filter(({ setting }) => setting?.bank === name);
    for (const sounding of waiting) sounding.playFrom(bank);
    return waiting.length > 0;
  }

  wantsBank(name: string): boolean {
    return this.#sounding.some(({ setting }) => setting?.bank === name);
  }

  /** Requests what a note needs, before it sounds. */
  want(key: number, velocity: number): void {
    for (const { setting, keyFor } of this.#sounding) {
      const own = keyFor(key);
      const wanted = own === undefined ? [] : (this.#bankOf(setting)?.want(own, velocity) ?? []);
      if (setting?.bank && wanted.length > 0) this.#onWanted(setting.bank, wanted);
    }
  }

  /** Sounds at the start of the next block. Program changes are made by settings, not by the keys. */
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
      // A sound that is not heard now gets the pedals when it is.
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

  /** True if it sounded in the last block. */
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
