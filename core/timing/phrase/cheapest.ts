import {
  FAR,
  leanCost,
  MEETS_ITSELF,
  misfit,
  ownCosts,
  ROLLS,
  SLIP,
  switchCost,
  stepCost,
  type Belief,
  type Work,
} from './model';
import type { Seconds } from '../../time/units';

/** Time constant with which drift returns to 0. */
const DRIFT_BACK: Seconds = 6;
/** Penalty slope for drift beyond its estimate, as a share of its prior standard deviation. */
const FAR_SPREAD = 0.3;
/** Cost of two hands that change their order at neighbouring lines. */
const BACK = 5;
/** Onsets can have changed their order if they are nearer to each other than their lines by this factor. */
const CAN_CROSS = 0.6;
/** Paths that cost this much more than the best are dropped. */
const HOPELESS = 20;

export interface Way {
  readonly candidates: Int32Array;
  readonly rolled: Uint8Array;
  /** Cost of the whole path. */
  readonly cost: number;
}

/** The cheapest path. With no drift known, each path follows its own by a Kalman filter. */
export function cheapest(work: Work, belief: Belief): Way {
  const { at, meets, rolls, brief, lines, all, drift: expected } = work;
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
    // Drift is a random walk that returns to 0.
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
      if (leans) alone = leanCost(lines.seconds[k]! - x, brief[i]!);
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
        total += stepCost(lines, belief.steps, before, k);
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
          // The line's use was paid for by the onset before.
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
      // Slips, and onsets within a roll, do not change the estimate of the drift.
      const gain = roll || leans || (off - m) ** 2 > SLIP ** 2 * (v + noise) ? 0 : v / (v + noise);
      mean[c] = m + gain * (off - m);
      spread[c] = v * (1 - gain);
    }
    // A new path starts here where decisions leave none in order.
    if (!isOpen) for (let c = first[i]!; c < first[i + 1]!; c += 1) cost[c] = 0;
  }
  const chosen = { candidates: new Int32Array(at.length), rolled: new Uint8Array(at.length) };
  let c = -1;
  let least = Infinity;
  for (let p = first[at.length - 1] ?? 0; p < size; p += 1) least = Math.min(least, cost[p]!);
  for (let i = at.length - 1; i >= 0; i -= 1) {
    if (c < 0) for (let p = first[i]!; p < first[i + 1]!; p += 1) if (c < 0 || cost[p]! < cost[c]!) c = p;
    chosen.candidates[i] = c;
    chosen.rolled[i] = rolled[c]! | grace[c]!;
    c = back[c]!;
  }
  return { ...chosen, cost: least };
}
