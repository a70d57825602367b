import { ROLLS, SWITCHES, SWITCHES_WITHIN, type Belief, type Work } from './model';
import { stepAt } from './rhythmSteps';

/**
 * Posterior of each candidate over all paths, by forward and backward sums.
 * @param taken receives the expected number of each step between lines
 */
export function likelihoods(
  { at, meets, rolls, lines, all }: Work,
  own: Float64Array,
  { use, steps }: Belief,
  taken?: Float64Array,
): Float64Array {
  const { first, line, grid, grace } = all;
  const n = at.length;
  const size = line.length;
  const [ahead, behind] = [new Float64Array(size), new Float64Array(size)];
  const weight = own.map((cost) => Math.exp(-cost));
  // The cost of a line's use counts once, whatever meets there.
  const unused = use.map((cost) => Math.exp(cost));
  const stepWeight = steps?.map((cost) => Math.exp(-cost));
  const [within, between, roll] = [Math.exp(-SWITCHES_WITHIN), Math.exp(-SWITCHES), Math.exp(-ROLLS)];
  /** Log weight of going from one candidate to the next. */
  const step = (i: number, p: number, c: number, meeting: number): number => {
    const a = line[p]!;
    const b = line[c]!;
    if (a > b || (grace[p] && a !== b)) return 0;
    let w = weight[c]!;
    const taking = stepWeight ? stepAt(lines, a, b) : -1;
    if (taking >= 0) w *= stepWeight![taking]!;
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
  for (let i = 1; taken && i < n; i += 1) {
    const meeting = Math.exp(-meets[i]!);
    const pairs: [at: number, weight: number][] = [];
    let total = 0;
    for (let p = first[i - 1]!; p < first[i]!; p += 1)
      for (let c = first[i]!; c < first[i + 1]!; c += 1) {
        const w = ahead[p]! * step(i, p, c, meeting) * behind[c]!;
        const at = stepAt(lines, line[p]!, line[c]!);
        total += w;
        if (at >= 0) pairs.push([at, w]);
      }
    if (total > 0) for (const [at, w] of pairs) taken[at]! += w / total;
  }
  return ahead.map((a, c) => a * behind[c]!);
}
