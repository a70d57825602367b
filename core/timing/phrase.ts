import type { Seconds } from '../time/units';
import { beliefOf, fadings, NOISE } from './phrase/belief';
import { candidatesOf } from './phrase/candidates';
import { cheapest } from './phrase/cheapest';
import { likelihoods } from './phrase/likelihoods';
import { MEETS, MEETS_ITSELF, ownCosts, type Belief, type Work } from './phrase/model';
import { useOf } from './phrase/lineUse';
import type { Lattice } from './lattice';
import type { Onset } from './onsets';

/**
 * Lines that the notes mean, found for the phrase as a whole. An onset lies off its line by a slow drift, by a lean
 * that its place in the bar has, and by chance; plain places are struck oftener than odd ones, and places that the bars
 * around use oftener than others; a rhythm goes on from a place as it does in other beats; onsets keep their order; a
 * beat follows one grid; a roll goes on from its first note. The likeliest lines under this are found by dynamic
 * programming over the onsets: first with a drift that each way through follows by itself, then, again and again, with
 * drift, lean, noise, use and rhythm as they come out.
 *
 * After A. T. Cemgil and B. Kappen, "Monte Carlo methods for tempo tracking and rhythm quantization" (2003), for drift
 * and noise, and C. Raphael, "Automated rhythm transcription" (2001), for lines as states of a hidden Markov model; the
 * method of following each way through by itself is R. Raheli and others, "Per-survivor processing" (1995); how sure a
 * line is comes from forward and backward sums (L. R. Rabiner, 1989).
 */
export interface Phrase {
  /** Index in the lattice of each onset's line. */
  readonly lines: Int32Array;
  /** True where it goes on a roll or leans on what follows, and so does not lie on its line by itself. */
  readonly rolled: Uint8Array;
  /** Sureness of the lines, worked out when first asked for. */
  readonly doubt: () => Doubt;
}

export interface Doubt {
  /** Sureness of each note's line, 0 to 1, and the likeliest other one (-1 where there is none). */
  readonly sure: Float64Array;
  readonly other: Int32Array;
}

/**
 * Players that are assumed at first: how far the hand drifts, as part of the grid's step and at most, and how loose it
 * is. What was played is gone through with each, and the one that explains it best is believed: a hand that strays far
 * would otherwise be put to the next line throughout.
 */
const PLAYERS: readonly { readonly drifts: number; readonly most: Seconds; readonly noise: Seconds }[] = [
  { drifts: 0.16, most: 0.03, noise: NOISE },
  { drifts: 0.16, most: 0.03, noise: 0.03 },
  { drifts: 0.4, most: 0.06, noise: NOISE },
];
const LEAST_DRIFT: Seconds = 0.008;
/** The least gain in log likelihood for which another player is believed: in all, and for each onset. */
const BETTER = 16;
const BETTER_EACH = 0.02;
/** Rounds of choosing lines and estimating the player from them. */
const ROUNDS = 3;
/** Candidate lines lie within so many steps of the grid; the nearest one always counts. */
const REACH = 1.25;

/**
 * Sureness as the share of times that it is right. Sums alone are too sure of themselves, since what is believed of the
 * player is found from the same onsets. The log odds’ slopes and offset lie between those of `core/testing/players.ts`
 * and `sessionPlayers.ts` (J. Platt, "Probabilistic outputs for support vector machines", 1999).
 */
function calibrated(said: number): number {
  if (said >= 1) return 1;
  const odds = ODDS_SLOPE * Math.log(said / (1 - said)) + ODDS_OFFSET;
  return 1 / (1 + Math.exp(-odds + BELOW * Math.max(0, KINK - odds)));
}
const ODDS_SLOPE = 0.6;
const ODDS_OFFSET = 0.2;
/** Additional slope below these log odds: a line of which others are nearly as likely is seldom the right one. */
const KINK = 1.4;
const BELOW = 0.3;

/** Sureness of the chosen lines, and the likeliest others. */
export function doubtOf(work: Work, belief: Belief, chosen: Int32Array): Doubt {
  const { first, line } = work.all;
  const likely = likelihoods(work, ownCosts(work, belief), belief);
  const n = chosen.length;
  const [sure, other] = [new Float64Array(n), new Int32Array(n).fill(-1)];
  for (let i = 0; i < n; i += 1) {
    let [total, own, most, sum] = [0, 0, 0, 0];
    // Candidates of the same line are neighbours in the list.
    for (let c = first[i]!; c < first[i + 1]!; c += 1) {
      total += likely[c]!;
      sum += likely[c]!;
      if (line[c] === line[c + 1] && c + 1 < first[i + 1]!) continue;
      if (line[c] === chosen[i]) own = sum;
      else if (sum > most) [most, other[i]] = [sum, line[c]!];
      sum = 0;
    }
    sure[i] = total > 0 ? calibrated(own / total) : 1;
  }
  return { sure, other };
}

/** Mean distance between lines of the first grid. */
function stepOf({ seconds, grids, size }: Lattice): Seconds {
  let count = 0;
  for (let k = 0; k < size; k += 1) count += grids[k]! & 1;
  return size > 1 ? (seconds[size - 1]! - seconds[0]!) / Math.max(1, count) : 0;
}

interface Explained {
  readonly work: Work;
  readonly belief: Belief;
  readonly lines: Int32Array;
  readonly rolled: Uint8Array;
  /** Cost of all that was played: minus its log likelihood. */
  readonly cost: number;
}

/** The likeliest path, and the player estimated from it, in turns until both stay. */
function wayOf(work: Work, noise: Seconds): Explained {
  const { at, lines, all } = work;
  let belief: Belief = {
    noise,
    drift: null,
    lean: new Float64Array(lines.places),
    use: useOf(lines, null),
    steps: null,
  };
  let chosen: Int32Array = new Int32Array(at.length);
  let rolled: Uint8Array = new Uint8Array(at.length);
  let cost = 0;
  for (let round = 0; round < ROUNDS; round += 1) {
    if (round > 0) belief = beliefOf(work, chosen, rolled, belief);
    const way = cheapest(work, belief);
    chosen = way.candidates.map((c) => all.line[c]!);
    ({ rolled, cost } = way);
  }
  return { work, belief, lines: chosen, rolled, cost: cost + at.length * Math.log(belief.noise) };
}

/** Onsets in columns, with what they can be put to. */
export function workOf(
  onsets: readonly Onset[],
  lattice: Lattice,
  pinned: readonly (number | undefined)[] = [],
): Omit<Work, 'drift'> {
  const at = Float64Array.from(onsets, (s) => s.at);
  return {
    at,
    fades: fadings(at),
    meets: Float64Array.from(onsets, (s, i) => {
      const before = onsets[i - 1];
      return before && s.notes.some((n) => before.notes.some((m) => m.key === n.key)) ? MEETS_ITSELF : MEETS;
    }),
    rolls: Uint8Array.from(onsets, (s) => Number(s.rolls)),
    brief: Float64Array.from(onsets, (s) => s.brief),
    lines: lattice,
    all: candidatesOf(onsets, lattice, pinned, REACH * stepOf(lattice)),
  };
}

/**
 * The likeliest line of each onset.
 * @param onsets by time; none leans on another
 * @param pinned lines that were decided, by onset
 * @throws RangeError when there are onsets and no lines
 */
export function linesByPhrase(
  onsets: readonly Onset[],
  lattice: Lattice,
  pinned: readonly (number | undefined)[] = [],
): Phrase {
  if (onsets.length > 0 && lattice.size === 0) throw new RangeError('There are no lines to put onsets to.');
  const step = stepOf(lattice);
  const work = workOf(onsets, lattice, pinned);
  const ways = PLAYERS.map(({ drifts, most, noise }) =>
    wayOf({ ...work, drift: Math.max(LEAST_DRIFT, Math.min(most, drifts * step)) }, noise),
  );
  const best = ways.reduce((a, b) => (b.cost < a.cost - BETTER - BETTER_EACH * onsets.length ? b : a));
  const { lines, rolled } = best;
  let known: Doubt | null = null;
  const doubt = (): Doubt => (known ??= doubtOf(best.work, beliefOf(best.work, lines, rolled, best.belief), lines));
  return { lines, rolled, doubt };
}
