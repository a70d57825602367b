import type { Seconds } from '../time/units';
import type { Lattice } from './lattice';
import { GRACE, type Strike } from './strikes';

/**
 * Which line each strike means, found for the phrase as a whole. A strike lies off its line by a slow drift, by a lean
 * that its place in the bar has, and by chance; plain places are struck oftener than odd ones, and places that the bars
 * around use oftener than others; strikes keep their order; a beat follows one grid; a roll goes on from its first
 * note. The likeliest lines under this are found by dynamic programming over the strikes: first with a drift that each
 * way through follows by itself, then, again and again, with drift, lean, noise and use as they come out.
 *
 * After A. T. Cemgil and B. Kappen, "Monte Carlo methods for tempo tracking and rhythm quantization" (2003), for drift
 * and noise, and C. Raphael, "Automated rhythm transcription" (2001), for lines as states of a hidden Markov model; the
 * method of following each way through by itself is R. Raheli and others, "Per-survivor processing" (1995); how sure a
 * line is comes from forward and backward sums (L. R. Rabiner, 1989).
 */
export interface Phrase {
  /** The line of each strike, by its place in the lattice. */
  readonly lines: Int32Array;
  /** Whether it goes on a roll or leans on what follows, and so does not lie on its line by itself. */
  readonly rolled: Uint8Array;
  /** Worked out when it is first asked for. */
  readonly doubt: () => Doubt;
}

export interface Doubt {
  /** How surely each strike is on its line, 0 to 1, and the likeliest other one (-1 where there is none). */
  readonly sure: Float64Array;
  readonly other: Int32Array;
}

/** The looseness that is expected before any is found, and the least and most that are believed. */
const NOISE: Seconds = 0.016;
const LEAST_NOISE: Seconds = 0.006;
const MOST_NOISE: Seconds = 0.045;
/** The drift that is expected, as part of the grid's step, and over how long it comes back. */
const DRIFT_OF_STEP = 0.16;
const LEAST_DRIFT: Seconds = 0.008;
const MOST_DRIFT: Seconds = 0.03;
const DRIFT_BACK: Seconds = 6;
/** Drift that is so many times what is expected is hardly believed: it would be another line. */
const FAR = 1.65;
const FAR_SPREAD = 0.3;
/** Two hands that change their order at neighbouring lines. */
const BACK = 5;
/** Strikes so much nearer than their lines can have changed their order. */
const CAN_CROSS = 0.6;
/** A grace note, and how far behind its line it may be. */
const LEANS = 2;
const LEANS_AHEAD: Seconds = 0.055;
const LEANS_BACK: Seconds = 0.03;
/** A strike that is off by more standard deviations is a slip: each one more costs but little. */
const SLIP = 4.5;
const FURTHER = 1;
/** Two strikes on one line, of different keys and of the same. */
const MEETS = -0.5;
const MEETS_ITSELF = 9;
/** One more note of a roll. */
const ROLLS = 1;
/** Another grid in the same beat, and from one beat to the next. */
const SWITCHES_WITHIN = 4.5;
const SWITCHES = 0.3;
/** How often a place is struck before anything is known, by its depth. */
const USED: Readonly<Record<number, number>> = { 0: 0.55, 1: 0.5, 2: 0.42, 2.5: 0.35, 3: 0.3, 3.5: 0.18, 4: 0.12 };
const SELDOM = 0.06;
const usedBeforehand = (depth: number): number => USED[depth] ?? SELDOM;
/** What is known beforehand counts as so many bars; bars further away than these count for less. */
const BEFOREHAND = 5;
const AROUND = 5;
/** Bars are held against so many on either side; each place in which they differ makes them less alike. */
const LIKE_WITHIN = 48;
const MOST_DIFFER = 5;
const DIFFERS = 0.8;
/** What the bars around do counts as so many that are alike. */
const UNLIKE = 0.6;
/** No line is struck more seldom than this, nor left out; and how much all that counts against where a strike lies. */
const NEVER = 0.04;
const USE_COUNTS = 0.85;
/** How far places lean, one standard deviation; none leans by more than two. */
const LEAN: Seconds = 0.005;
/** Over how many seconds drift is looked for. */
const DRIFT_OVER: readonly Seconds[] = [0.5, 1, 2, 4];
/** A way that is so much dearer than another is not gone on with. */
const HOPELESS = 20;
const ROUNDS = 3;
/** The most lines that a strike is held against. */
const MOST_CANDIDATES = 4;
const MOST_OF_TWO = 6;
const LEAST_CANDIDATES = 2;
/** None is further away than so many steps of the grid, but for the nearest. */
const REACH = 1.25;

/** What strikes can be put to: for each the first of its candidates in one list; the last entry is the list's end. */
interface Candidates {
  readonly first: Int32Array;
  readonly line: Int32Array;
  /** Which grid is followed there. */
  readonly grid: Int8Array;
  /** Whether it would be a grace note to what follows on that line. */
  readonly grace: Uint8Array;
}

function candidatesOf(
  strikes: readonly Strike[],
  { seconds, grids: masks, size }: Lattice,
  pinned: readonly (number | undefined)[],
  reach: Seconds,
): Candidates {
  const first = new Int32Array(strikes.length + 1);
  const line: number[] = [];
  const grid: number[] = [];
  const grace: number[] = [];
  const add = (k: number, leans: boolean): void => {
    const grids = masks[k]!;
    for (let mode = 1; mode <= 2; mode += 1) {
      if ((grids & mode) === 0) continue;
      line.push(k);
      grid.push(mode);
      grace.push(0);
      if (!leans) continue;
      line.push(k);
      grid.push(mode);
      grace.push(1);
    }
  };
  const most = masks.some((m) => m > 1) ? MOST_OF_TWO : MOST_CANDIDATES;
  let at = 0;
  for (let i = 0; i < strikes.length; i += 1) {
    first[i] = line.length;
    const pin = pinned[i];
    if (pin !== undefined) {
      add(pin, false);
      // A line that is in neither grid can still be decided on.
      if (line.length === first[i]) {
        line.push(pin);
        grid.push(1);
        grace.push(0);
      }
      continue;
    }
    const x = strikes[i]!.at;
    while (at + 1 < size && seconds[at + 1]! <= x) at += 1;
    while (at > 0 && seconds[at]! > x) at -= 1;
    // Outwards from the strike, nearest first.
    let [low, high] = [at, at + 1];
    for (let n = 0; n < most; n += 1) {
      const below = low >= 0 ? x - seconds[low]! : Infinity;
      const above = high < size ? seconds[high]! - x : Infinity;
      if (Math.min(below, above) > reach && n >= LEAST_CANDIDATES) break;
      if (below === Infinity && above === Infinity) break;
      if (below <= above) low -= 1;
      else high += 1;
    }
    const { leans } = strikes[i]!;
    for (let k = low + 1; k < high; k += 1) {
      const ahead = seconds[k]! - x;
      add(k, leans && ahead > -LEANS_BACK && ahead < GRACE);
    }
  }
  first[strikes.length] = line.length;
  return { first, line: Int32Array.from(line), grid: Int8Array.from(grid), grace: Uint8Array.from(grace) };
}

/** What is worked on: strikes in columns, the lines, and what strikes can be put to. */
interface Work {
  /** The drift that is expected. */
  readonly drift: Seconds;
  readonly at: Float64Array;
  /** What it costs a strike to share its line with the one before. */
  readonly meets: Float64Array;
  readonly rolls: Uint8Array;
  readonly lines: Lattice;
  readonly all: Candidates;
}

/** What is believed of the player so far. */
interface Belief {
  readonly noise: Seconds;
  /** By strike; null while each way through follows its own. */
  readonly drift: Float64Array | null;
  /** By place in the bar. */
  readonly lean: Float64Array;
  /** By line. */
  readonly use: Float64Array;
}

/** What it costs to be a grace note so far ahead of its line. */
const leanCost = (ahead: Seconds): number => LEANS + (ahead > 0 ? (ahead / LEANS_AHEAD) ** 2 / 2 : 0);

/** What it costs to be off: as chance has it, and beyond a slip but little more for each standard deviation. */
function misfit(off: number, variance: number): number {
  const far = (off * off) / variance;
  return far <= SLIP * SLIP ? far / 2 : (SLIP * SLIP) / 2 + FURTHER * (Math.sqrt(far) - SLIP);
}

/** What candidates cost by themselves, the drift being known. */
function ownCosts({ at, lines, all }: Work, { noise, lean, drift, use }: Belief): Float64Array {
  const own = new Float64Array(all.line.length);
  for (let i = 0; i < at.length; i += 1)
    for (let c = all.first[i]!; c < all.first[i + 1]!; c += 1) {
      const k = all.line[c]!;
      if (all.grace[c]) own[c] = leanCost(lines.seconds[k]! - at[i]!);
      else own[c] = misfit(at[i]! - lines.seconds[k]! - lean[lines.place[k]!]! - drift![i]!, noise * noise) + use[k]!;
    }
  return own;
}

/** What it costs to go on from one grid to the other. */
const switchCost = ({ beat, depth }: Lattice, from: number, to: number): number =>
  beat[from] === beat[to] && depth[to] !== 0 ? SWITCHES_WITHIN : SWITCHES;

interface Way {
  readonly candidates: Int32Array;
  readonly rolled: Uint8Array;
}

/** The cheapest way through. With no drift known, each way follows its own by a Kalman filter. */
function cheapest(work: Work, belief: Belief): Way {
  const { at, meets, rolls, lines, all, drift: expected } = work;
  const { first, line, grid, grace } = all;
  const far = FAR * expected;
  const size = line.length;
  const cost = new Float64Array(size);
  const back = new Int32Array(size).fill(-1);
  const rolled = new Uint8Array(size);
  const [mean, spread] = [new Float64Array(size), new Float64Array(size)];
  const noise = belief.noise ** 2;
  const own = belief.drift ? ownCosts(work, belief) : null;
  for (let i = 0; i < at.length; i += 1) {
    const x = at[i]!;
    const from = i > 0 ? first[i - 1]! : 0;
    // Drift wanders, and comes back to none.
    const keeps = i > 0 ? Math.exp(-(x - at[i - 1]!) / DRIFT_BACK) : 0;
    const wandered = expected ** 2 * (1 - keeps * keeps);
    let isOpen = false;
    let least = Infinity;
    for (let p = from; i > 0 && p < first[i]!; p += 1) if (cost[p]! < least) least = cost[p]!;
    const hopeless = least + HOPELESS;
    for (let c = first[i]!; c < first[i + 1]!; c += 1) {
      const k = line[c]!;
      const off = x - lines.seconds[k]! - belief.lean[lines.place[k]!]!;
      let best = Infinity;
      let way = -1;
      let roll = 0;
      let m = 0;
      let v = expected ** 2;
      const leans = grace[c] === 1;
      let alone = own ? own[c]! : misfit(off, v + noise) + belief.use[k]!;
      if (leans) alone = leanCost(lines.seconds[k]! - x);
      if (i === 0) best = alone;
      for (let p = from; i > 0 && p < first[i]!; p += 1) {
        const before = line[p]!;
        let total = cost[p]!;
        if (before > k) {
          if (x - at[i - 1]! > CAN_CROSS * (lines.seconds[before]! - lines.seconds[k]!) || meets[i]! >= MEETS_ITSELF)
            break;
          total += BACK;
        }
        if (grid[p] !== grid[c]) total += switchCost(lines, before, k);
        // A grace note is followed by what it leans on.
        if (grace[p] && before !== k) continue;
        if (total >= best || total > hopeless) continue;
        let pm = 0;
        let pv = 0;
        let here = alone;
        if (!own) {
          pm = mean[p]! * keeps;
          pv = spread[p]! * keeps * keeps + wandered;
          if (!leans) here = misfit(off - pm, pv + noise) + belief.use[k]!;
        }
        let rollsHere = 0;
        if (before === k && !grace[p] && !leans) {
          // That the line is used was paid for once.
          here += meets[i]! - belief.use[k]!;
          if (rolls[i] && here > ROLLS) {
            here = ROLLS;
            rollsHere = 1;
          }
        }
        if (pm > far || pm < -far) total += ((Math.abs(pm) - far) / (FAR_SPREAD * expected)) ** 2 / 2;
        if (total + here >= best) continue;
        best = total + here;
        way = p;
        roll = rollsHere;
        m = pm;
        v = pv;
      }
      cost[c] = best;
      back[c] = way;
      rolled[c] = roll;
      if (best < Infinity) isOpen = true;
      if (own) continue;
      // A slip says nothing of the drift, nor does a roll.
      const gain = roll || leans || (off - m) ** 2 > SLIP ** 2 * (v + noise) ? 0 : v / (v + noise);
      mean[c] = m + gain * (off - m);
      spread[c] = v * (1 - gain);
    }
    // Where what was decided leaves no way in order, the way starts anew.
    if (!isOpen) for (let c = first[i]!; c < first[i + 1]!; c += 1) cost[c] = 0;
  }
  const chosen = { candidates: new Int32Array(at.length), rolled: new Uint8Array(at.length) };
  let c = -1;
  for (let i = at.length - 1; i >= 0; i -= 1) {
    if (c < 0) for (let p = first[i]!; p < first[i + 1]!; p += 1) if (c < 0 || cost[p]! < cost[c]!) c = p;
    chosen.candidates[i] = c;
    chosen.rolled[i] = rolled[c]! | grace[c]!;
    c = back[c]!;
  }
  return chosen;
}

/** The mean of what lies around each strike, itself left out, weighted by nearness; drawn to 0 where little is. */
function around(
  at: Float64Array,
  values: Float64Array,
  counts: Float64Array,
  over: Seconds,
  prior: number,
): Float64Array {
  const n = at.length;
  const keeps = new Float64Array(n);
  for (let i = 1; i < n; i += 1) keeps[i] = Math.exp(-(at[i]! - at[i - 1]!) / over);
  const [sum, weight] = [new Float64Array(n), new Float64Array(n)];
  let [s, w] = [0, 0];
  for (let i = 1; i < n; i += 1) {
    s = (s + values[i - 1]! * counts[i - 1]!) * keeps[i]!;
    w = (w + counts[i - 1]!) * keeps[i]!;
    sum[i] = s;
    weight[i] = w;
  }
  [s, w] = [0, 0];
  for (let i = n - 2; i >= 0; i -= 1) {
    s = (s + values[i + 1]! * counts[i + 1]!) * keeps[i + 1]!;
    w = (w + counts[i + 1]!) * keeps[i + 1]!;
    sum[i]! += s;
    weight[i]! += w;
  }
  for (let i = 0; i < n; i += 1) sum[i]! /= weight[i]! + prior;
  return sum;
}

/** Drift around each strike over the span that foretells best. */
function driftOf({ at, drift: expected }: Work, off: Float64Array, counts: Float64Array, noise: Seconds): Float64Array {
  const most = SLIP * noise + expected;
  const far = FAR * expected;
  const held = off.map((o) => Math.max(-most, Math.min(most, o)));
  const prior = (noise / expected) ** 2;
  let best: Float64Array = new Float64Array(at.length);
  let least = Infinity;
  for (const over of DRIFT_OVER) {
    const drift = around(at, held, counts, over, prior);
    let wrong = 0;
    for (let i = 0; i < at.length; i += 1) wrong += counts[i]! * Math.abs(held[i]! - drift[i]!);
    if (wrong < least) [best, least] = [drift, wrong];
  }
  return best.map((d) => Math.max(-far, Math.min(far, d)));
}

/**
 * Bars that strike the same places, by how many differ: what one does says what another means.
 * @returns by line, how often bars that are like its own strike it, and how many those are
 */
function likeBars({ place, places, bar, size }: Lattice, struck: Float64Array): readonly [Float64Array, Float64Array] {
  const first = bar[0] ?? 0;
  const count = (bar[size - 1] ?? -1) - first + 1;
  const [used, has] = [new Float64Array(count * places), new Uint8Array(count * places)];
  const strikes = new Float64Array(count);
  for (let k = 0; k < size; k += 1) {
    const at = (bar[k]! - first) * places + place[k]!;
    has[at] = 1;
    used[at] = struck[k]!;
    strikes[bar[k]! - first]! += struck[k]!;
  }
  const [hits, weight] = [new Float64Array(count * places), new Float64Array(count * places)];
  for (let a = 0; a < count; a += 1)
    for (let b = a + 1; b < Math.min(count, a + LIKE_WITHIN); b += 1) {
      const most = Math.min(MOST_DIFFER, (strikes[a]! + strikes[b]!) / 3);
      let differ = Math.abs(strikes[a]! - strikes[b]!) < most ? 0 : most;
      const [i, j] = [a * places, b * places];
      for (let p = 0; p < places && differ < most; p += 1) differ += Math.abs(used[i + p]! - used[j + p]!);
      if (differ >= most) continue;
      const w = Math.exp(-differ * DIFFERS);
      for (let p = 0; p < places; p += 1) {
        if (!has[i + p] || !has[j + p]) continue;
        hits[i + p]! += w * used[j + p]!;
        hits[j + p]! += w * used[i + p]!;
        weight[i + p]! += w;
        weight[j + p]! += w;
      }
    }
  const [often, bars] = [new Float64Array(size), new Float64Array(size)];
  for (let k = 0; k < size; k += 1) {
    const at = (bar[k]! - first) * places + place[k]!;
    often[k] = hits[at]!;
    bars[k] = weight[at]!;
  }
  return [often, bars];
}

/**
 * How likely each line is struck at all, as a cost: by how plain its place is, by what the bars around do there, and
 * above all by what bars do there that are otherwise alike.
 */
function useOf(columns: Lattice, struck: Float64Array | null): Float64Array {
  const { place, places, bar, depth, size } = columns;
  const use = new Float64Array(size);
  const [chance, weight] = [new Float64Array(size), new Float64Array(size)];
  for (const step of struck ? [1, -1] : []) {
    const [hits, bars, last] = [new Float64Array(places), new Float64Array(places), new Int32Array(places).fill(-1)];
    for (let k = step > 0 ? 0 : size - 1; k >= 0 && k < size; k += step) {
      const here = place[k]!;
      const before = last[here]!;
      if (before >= 0) {
        const keeps = Math.exp(-Math.abs(bar[k]! - bar[before]!) / AROUND);
        hits[here] = (hits[here]! + struck![before]!) * keeps;
        bars[here] = (bars[here]! + 1) * keeps;
      }
      last[here] = k;
      chance[k]! += hits[here]!;
      weight[k]! += bars[here]!;
    }
  }
  const alike = struck ? likeBars(columns, struck) : null;
  for (let k = 0; k < size; k += 1) {
    const around = (chance[k]! + BEFOREHAND * usedBeforehand(depth[k]!)) / (weight[k]! + BEFOREHAND);
    const p = alike ? (alike[0][k]! + UNLIKE * around) / (alike[1][k]! + UNLIKE) : around;
    const kept = Math.max(NEVER, Math.min(1 - NEVER, p));
    use[k] = -USE_COUNTS * Math.log(kept / (1 - kept));
  }
  return use;
}

/** What is believed once lines are chosen. */
function beliefOf(work: Work, chosen: Int32Array, rolled: Uint8Array, before: Belief): Belief {
  const { at, lines, all } = work;
  const n = at.length;
  const off = at.map((x, i) => x - lines.seconds[chosen[i]!]!);
  const counts = at.map((_, i) => 1 - rolled[i]!);
  const rest = off.map((o, i) => o - before.lean[lines.place[chosen[i]!]!]!);
  const drift = driftOf(work, rest, counts, before.noise);
  const [sum, hits] = [new Float64Array(lines.places), new Float64Array(lines.places)];
  for (let i = 0; i < n; i += 1) {
    const left = off[i]! - drift[i]!;
    if (rolled[i] || Math.abs(left) > SLIP * before.noise) continue;
    sum[lines.place[chosen[i]!]!]! += left;
    hits[lines.place[chosen[i]!]!]! += 1;
  }
  const shrinks = (before.noise / LEAN) ** 2;
  const lean = sum.map((s, p) => Math.max(-2 * LEAN, Math.min(2 * LEAN, s / (hits[p]! + shrinks))));
  const left = off
    .map((o, i) => Math.abs(o - drift[i]! - lean[lines.place[chosen[i]!]!]!))
    .filter((_, i) => !rolled[i])
    .sort();
  const m = left.length;
  // The median and not the mean: strikes on a wrong line are far off.
  const noise = m > 0 ? (1.48 * left[m >> 1]! * m + 8 * NOISE) / (m + 8) : NOISE;
  const next = { noise: Math.max(LEAST_NOISE, Math.min(MOST_NOISE, noise)), drift, lean, use: before.use };
  const likely = likelihoods(work, ownCosts(work, next), next.use);
  const unstruck = new Float64Array(lines.place.length).fill(1);
  for (let i = 0; i < n; i += 1) {
    let total = 0;
    for (let c = all.first[i]!; c < all.first[i + 1]!; c += 1) total += likely[c]!;
    for (let c = all.first[i]!; c < all.first[i + 1]!; c += 1)
      unstruck[all.line[c]!]! *= 1 - Math.min(1, likely[c]! / total);
  }
  return {
    ...next,
    use: useOf(
      lines,
      unstruck.map((u) => 1 - u),
    ),
  };
}

/** For each candidate how likely it is with everything else open: forward and backward sums. */
function likelihoods({ at, meets, rolls, lines, all }: Work, own: Float64Array, use: Float64Array): Float64Array {
  const { first, line, grid, grace } = all;
  const n = at.length;
  const size = line.length;
  const [ahead, behind] = [new Float64Array(size), new Float64Array(size)];
  const weight = own.map((cost) => Math.exp(-cost));
  // That a line is used is paid for once.
  const unused = use.map((cost) => Math.exp(cost));
  const [within, between, roll] = [Math.exp(-SWITCHES_WITHIN), Math.exp(-SWITCHES), Math.exp(-ROLLS)];
  /** From one candidate to the next, with what that costs by itself. */
  const step = (i: number, p: number, c: number, meeting: number): number => {
    const a = line[p]!;
    const b = line[c]!;
    if (a > b || (grace[p] && a !== b)) return 0;
    let w = weight[c]!;
    if (a === b && !grace[p] && !grace[c]) {
      w *= meeting * unused[b]!;
      if (rolls[i]) w += roll;
    }
    if (grid[p] === grid[c]) return w;
    return w * (lines.beat[a] === lines.beat[b] && lines.depth[b] !== 0 ? within : between);
  };
  const even = (sums: Float64Array, i: number): void => {
    let total = 0;
    for (let c = first[i]!; c < first[i + 1]!; c += 1) total += sums[c]!;
    for (let c = first[i]!; c < first[i + 1]!; c += 1) sums[c] = total > 0 ? sums[c]! / total : 1;
  };
  for (let i = 0; i < n; i += 1) {
    const meeting = Math.exp(-meets[i]!);
    for (let c = first[i]!; c < first[i + 1]!; c += 1) {
      let sum = i === 0 ? weight[c]! : 0;
      for (let p = i > 0 ? first[i - 1]! : 0; i > 0 && p < first[i]!; p += 1) sum += ahead[p]! * step(i, p, c, meeting);
      ahead[c] = sum;
    }
    even(ahead, i);
  }
  for (let i = n - 1; i >= 0; i -= 1) {
    const meeting = i < n - 1 ? Math.exp(-meets[i + 1]!) : 0;
    for (let c = first[i]!; c < first[i + 1]!; c += 1) {
      let sum = i === n - 1 ? 1 : 0;
      for (let q = first[i + 1]!; i < n - 1 && q < first[i + 2]!; q += 1)
        sum += behind[q]! * step(i + 1, c, q, meeting);
      behind[c] = sum;
    }
    even(behind, i);
  }
  return ahead.map((a, c) => a * behind[c]!);
}

/** How sure the chosen lines are, and which are the likeliest others. */
function doubtOf(work: Work, belief: Belief, chosen: Int32Array): Doubt {
  const { first, line } = work.all;
  const likely = likelihoods(work, ownCosts(work, belief), belief.use);
  const n = chosen.length;
  const [sure, other] = [new Float64Array(n), new Int32Array(n).fill(-1)];
  for (let i = 0; i < n; i += 1) {
    let [total, own, most, sum] = [0, 0, 0, 0];
    // Candidates of one line stand side by side.
    for (let c = first[i]!; c < first[i + 1]!; c += 1) {
      total += likely[c]!;
      sum += likely[c]!;
      if (line[c] === line[c + 1] && c + 1 < first[i + 1]!) continue;
      if (line[c] === chosen[i]) own = sum;
      else if (sum > most) [most, other[i]] = [sum, line[c]!];
      sum = 0;
    }
    sure[i] = total > 0 ? own / total : 1;
  }
  return { sure, other };
}

/** The step of the first grid, in the mean. */
function stepOf({ seconds, grids, size }: Lattice): Seconds {
  let count = 0;
  for (let k = 0; k < size; k += 1) count += grids[k]! & 1;
  return size > 1 ? (seconds[size - 1]! - seconds[0]!) / Math.max(1, count) : 0;
}

/**
 * The likeliest line of each strike.
 * @param strikes by time; none leans on another
 * @param pinned lines that were decided, by strike
 * @throws RangeError when there are strikes and no lines
 */
export function linesByPhrase(
  strikes: readonly Strike[],
  lattice: Lattice,
  pinned: readonly (number | undefined)[] = [],
): Phrase {
  if (strikes.length > 0 && lattice.size === 0) throw new RangeError('There are no lines to put strikes to.');
  const step = stepOf(lattice);
  const work: Work = {
    // A hand does not stray by more than a part of the grid's step.
    drift: Math.max(LEAST_DRIFT, Math.min(MOST_DRIFT, DRIFT_OF_STEP * step)),
    at: Float64Array.from(strikes, (s) => s.at),
    meets: Float64Array.from(strikes, (s, i) => {
      const before = strikes[i - 1];
      return before && s.notes.some((n) => before.notes.some((m) => m.key === n.key)) ? MEETS_ITSELF : MEETS;
    }),
    rolls: Uint8Array.from(strikes, (s) => Number(s.rolls)),
    lines: lattice,
    all: candidatesOf(strikes, lattice, pinned, REACH * step),
  };
  let belief: Belief = { noise: NOISE, drift: null, lean: new Float64Array(lattice.places), use: useOf(lattice, null) };
  let chosen: Int32Array = new Int32Array(strikes.length);
  let rolled: Uint8Array = new Uint8Array(strikes.length);
  for (let round = 0; round < ROUNDS; round += 1) {
    if (round > 0) belief = beliefOf(work, chosen, rolled, belief);
    const way = cheapest(work, belief);
    chosen = way.candidates.map((c) => work.all.line[c]!);
    ({ rolled } = way);
  }
  let known: Doubt | null = null;
  const doubt = (): Doubt => (known ??= doubtOf(work, beliefOf(work, chosen, rolled, belief), chosen));
  return { lines: chosen, rolled, doubt };
}
