/**
 * Frame that the searches share: the same thing done at random again and again, each run from a seed of its own. A run
 * that finds something throws; `SEED=n RUNS=1` brings it back.
 */
import { seeded, type Seeded } from '../core/random';

/** Counts of a run by name, added up over all runs. */
export type Counts = Readonly<Record<string, number>>;

export interface Settings {
  readonly runs: number;
  /** Seed of the first run, counted up for the others. */
  readonly seed: number;
  /** Longest time of one answer, in which a slow machine is allowed for. */
  readonly slowestMs?: number;
}
/** Longest time of one answer that is promised on a quiet machine. */
export const SLOWEST_MS = 2000;

export interface Outcome {
  readonly counts: Counts;
  /** Faults with the seed of each. */
  readonly faults: readonly string[];
}

/** Counts in words, for the progress and the result. */
export const inWords = (counts: Counts, faults: number): string =>
  [...Object.entries(counts).map(([what, n]) => `${n} ${what}`), `${faults} faults`].join(', ');

/** Interval of the progress, so that an interrupted search leaves its counts. */
const SAYS_EVERY_MS = 300_000;
/** Number of faults that are printed at once. */
const SAID_AT_ONCE = 20;

/** Prints the progress of a search at intervals. */
export function teller(): (done: number, runs: number, counts: Counts, faults: number) => void {
  let saidAt = performance.now();
  return (done, runs, counts, faults) => {
    if (performance.now() - saidAt < SAYS_EVERY_MS) return;
    saidAt = performance.now();
    console.log(`  after ${done} of ${runs}: ${inWords(counts, faults)}`);
  };
}

/** Runs a search to its end, whatever a run finds. @param beside number of runs at once */
export async function search(
  { runs, seed }: Settings,
  one: (random: Seeded) => Promise<Counts>,
  beside = 1,
): Promise<Outcome> {
  const counts = new Map<string, number>();
  const faults: string[] = [];
  let next = 0;
  let done = 0;
  const tell = teller();
  const oneAfterAnother = async (): Promise<void> => {
    while (next < runs) {
      const own = seed + next;
      next += 1;
      try {
        for (const [name, n] of Object.entries(await one(seeded(own)))) counts.set(name, (counts.get(name) ?? 0) + n);
      } catch (error) {
        const fault = `SEED=${own}: ${error instanceof Error ? error.message : String(error)}`;
        faults.push(fault);
        // Other runs may take another hour.
        if (faults.length <= SAID_AT_ONCE) console.log(`  ${fault}`);
      }
      done += 1;
      tell(done, runs, Object.fromEntries(counts), faults.length);
    }
  };
  await Promise.all(Array.from({ length: beside }, oneAfterAnother));
  return { counts: Object.fromEntries(counts), faults };
}

/** @throws Error with the words, where a condition does not hold */
export function holds(fact: boolean, words: () => string): asserts fact {
  if (!fact) throw new Error(words());
}

export const pause = (ms: number): Promise<void> => new Promise((done) => setTimeout(done, ms));
