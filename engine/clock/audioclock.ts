import { fitClocks, type ClockFit, type ClockPair } from '../../core/time/clockfit';
import type { Milliseconds, Seconds } from '../../core/time/units';

/** At two readings a second: long enough to see drift, short enough to follow it. */
const MOST_PAIRS = 80;
const EVERY: Milliseconds = 500;
/** A reading that took longer than this between its two halves says little. */
const EAGER = 12;

/**
 * Keeps the page's clock and the audio clock fitted to each other. Its audio time is *render* time: the sample
 * being made now, not the one being heard. The system says which sample is being heard at which page time
 * (`getOutputTimestamp`, Web Audio API §1.2.3) and how long the way out is; the first less the second is fitted.
 */
export class AudioClock {
  #pairs: ClockPair[] = [];
  #fit: ClockFit | undefined;
  #last: Milliseconds = -Infinity;
  readonly #context: AudioContext;

  constructor(context: AudioContext) {
    this.#context = context;
  }

  /** The way out as the system states it, rounded steps and all; 0 where it does not. */
  get reportedLatency(): Seconds {
    const { outputLatency } = this.#context;
    return Number.isFinite(outputLatency) ? outputLatency : 0;
  }

  /** Takes a reading if one is due; call it as often as you like. */
  read(now: Milliseconds): void {
    if (this.#context.state !== 'running') return;
    if (this.#pairs.length >= EAGER && now - this.#last < EVERY) return;
    const { contextTime, performanceTime } = this.#context.getOutputTimestamp();
    if (!contextTime || !performanceTime || performanceTime === this.#pairs.at(-1)?.performance) return;
    this.#last = now;
    this.#pairs.push({ performance: performanceTime, context: contextTime });
    if (this.#pairs.length > MOST_PAIRS) this.#pairs.shift();
    this.#fit = fitClocks(this.#pairs);
  }

  /** Forgets all readings: after a suspension the clocks have moved against each other. */
  reset(): void {
    this.#pairs = [];
    this.#fit = undefined;
  }

  get fit(): ClockFit | undefined {
    return this.#fit;
  }

  /** Which audio time was being *heard* at a page time. */
  heardAt(performance: Milliseconds): Seconds {
    if (!this.#fit) this.read(performance);
    return this.#fit ? this.#fit.contextAt(performance) : this.#context.currentTime;
  }
}
