import type { KeyMessage } from '../../core/performance/messages';
import type { Seconds } from '../../core/time/units';

/** Input latency of the simulated instrument: time from a key to its sound. */
export const BENCH_WAY_IN: Seconds = 0.02;
const DECAY: Seconds = 1.2;
const RELEASE: Seconds = 0.06;
const LOUD = 0.4;

const frequencyOf = (key: number): number => 440 * 2 ** ((key - 69) / 12);

/** Simulated outside instrument with its cable: plain tones, as late as a real one's. */
export class BenchInstrument {
  readonly output: GainNode;
  readonly #context: BaseAudioContext;
  readonly #sounding = new Map<number, { readonly tone: OscillatorNode; readonly level: GainNode }>();

  constructor(context: BaseAudioContext) {
    this.#context = context;
    this.output = new GainNode(context);
  }

  /** @param struck time on the context's clock; it may be past by less than the input latency */
  play(message: KeyMessage, struck: Seconds): void {
    const at = Math.max(this.#context.currentTime, struck + BENCH_WAY_IN);
    if (message.type === 'noteOn') this.#noteOn(message.key, message.velocity, at);
    else if (message.type === 'noteOff') this.#letGo(message.key, at);
  }

  #noteOn(key: number, velocity: number, at: Seconds): void {
    this.#letGo(key, at);
    const tone = new OscillatorNode(this.#context, { type: 'triangle', frequency: frequencyOf(key) });
    const level = new GainNode(this.#context, { gain: 0 });
    level.gain.setValueAtTime((LOUD * velocity) / 127, at).setTargetAtTime(0, at, DECAY / 3);
    tone.connect(level).connect(this.output);
    tone.start(at);
    this.#sounding.set(key, { tone, level });
    tone.onended = () => level.disconnect();
  }

  #letGo(key: number, at: Seconds): void {
    const sounding = this.#sounding.get(key);
    this.#sounding.delete(key);
    sounding?.level.gain.cancelScheduledValues(at).setTargetAtTime(0, at, RELEASE / 3);
    sounding?.tone.stop(at + RELEASE * 2);
  }
}
