import { contextAt, follow, NO_READINGS, performanceAt } from '../../core/time/clocks';
import type { Milliseconds, Seconds } from '../../core/time/units';

/**
 * Keeps the page's clock and the audio clock fitted to each other, from what the system says of which sample
 * is being heard at which page time (`getOutputTimestamp`, Web Audio API, AudioContext).
 */
export class AudioClock {
  #follower = NO_READINGS;
  #last: Milliseconds = 0;
  readonly #context: AudioContext;

  constructor(context: AudioContext) {
    this.#context = context;
  }

  /** Output latency that the system reports; 0 where it reports none. */
  get reportedLatency(): Seconds {
    const { outputLatency } = this.#context;
    return Number.isFinite(outputLatency) ? outputLatency : 0;
  }

  /** Takes a reading if there is a new one; may be called at any time. */
  read(): void {
    if (this.#context.state !== 'running') return;
    const { contextTime, performanceTime } = this.#context.getOutputTimestamp();
    if (!contextTime || !performanceTime || performanceTime <= this.#last) return;
    this.#last = performanceTime;
    this.#follower = follow(this.#follower, { performance: performanceTime, context: contextTime });
  }

  /** Drops all readings: during a suspension the clocks drift apart. */
  reset(): void {
    this.#follower = NO_READINGS;
  }

  /** Resolves when the clock has been read, or after half a second. */
  async firstReading(): Promise<void> {
    for (let tries = 0; tries < 25 && this.#follower.epochs.length === 0; tries += 1) {
      this.read();
      await new Promise((done) => setTimeout(done, 20));
    }
  }

  /** Audio time that was heard at a page time. */
  heardAt(performance: Milliseconds): Seconds {
    return contextAt(this.#follower, performance) ?? this.#context.currentTime;
  }

  /** Page time at which an audio time is heard. @throws RangeError before the first reading */
  pageTimeOf(context: Seconds): Milliseconds {
    const time = performanceAt(this.#follower, context);
    if (time === undefined) throw new RangeError('The audio clock has not been read yet.');
    return time;
  }
}
