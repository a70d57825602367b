/**
 * Bounds on how far timing can be corrected: results of an estimator that knows the player's drift, leans and
 * looseness, which no algorithm without that knowledge can exceed.
 */
import { played, STYLES, type Played } from '../core/testing/players';
import { gridStep } from '../core/timing/grid';
import { linedUp, type Unit } from '../core/timing/unitLines';
import { doubtOf, workOf } from '../core/timing/phrase';
import { usedBy } from '../core/timing/phrase/belief';
import { cheapest } from '../core/timing/phrase/cheapest';
import type { Belief, Work } from '../core/timing/phrase/model';
import { useOf } from '../core/timing/phrase/lineUse';
import { onsetsOf } from '../core/timing/onsets';
import { secondsAt } from '../core/time/tempo';
import { bound, quantile, type Figure } from './figure';
import { NOISES, STEADY_WORLDS, TEMPOS, treatmentOf } from './timing';
import { sized } from './sizes';

const AREA = 'bounds';
const BARS = sized(40, 12);
const ROUNDS = 4;
const MOST_OF_HUNDRED = 4;

const mean = (x: readonly number[]): number => x.reduce((s, v) => s + v, 0) / x.length;

/** Lean of each place in the bar, in milliseconds, by its written place. */
function leansOf({ notes, meant, small }: Played): Map<number, number> {
  const all = new Map<number, number[]>();
  for (const { id } of notes) {
    const place = meant.get(id)! % 3840;
    all.set(place, [...(all.get(place) ?? []), small.get(id)!]);
  }
  return new Map([...all].map(([place, off]) => [place, mean(off)]));
}

interface Told {
  notes: number;
  nearest: number;
  wrong: number;
  listed: number;
  /** Expected number of wrong lines, in all and among those listed. */
  expected: number;
  expectedListed: number;
}

/** Lines found with drift, leans and looseness known exactly, so that only the rhythm is unknown. */
function toldOf(world: Played, noise: number, into: Told): void {
  const { notes, meant, recipe, tempo, meter } = world;
  const { lattice } = linedUp(notes, recipe, { tempo, meter }, treatmentOf(recipe));
  const step = Math.min(...[recipe.grid, ...(recipe.second ? [recipe.second] : [])].map(gridStep));
  const wide = (start: number): number => secondsAt(tempo, start + step) - secondsAt(tempo, start);
  const onsets = onsetsOf(notes, tempo, (n) => wide(n.start), recipe.chord!);
  const leans = leansOf(world);
  const lean = new Float64Array(lattice.places);
  lattice.tick.forEach((tick, k) => (lean[lattice.place[k]!] = (leans.get(tick % 3840) ?? 0) / 1000));
  const drift = Float64Array.from(onsets, (s) => mean(s.notes.map((n) => world.drift.get(n.id)!)) / 1000);
  const work: Work = { ...workOf(onsets, lattice), drift: 0.014 };
  let belief: Belief = { noise: noise / 1000, drift, lean, use: useOf(lattice, null), steps: null };
  for (let round = 1; round < ROUNDS; round += 1) belief = { ...belief, ...usedBy(work, belief) };
  const lines = cheapest(work, belief).candidates.map((c) => work.all.line[c]!);
  const { sure } = doubtOf(work, belief, lines);
  const isWrong = (line: number, id: string): boolean => Math.abs(lattice.tick[line]! - meant.get(id)!) > 1;
  const places = onsets
    .map((s, i) => ({
      wrong: s.notes.filter((n) => isWrong(lines[i]!, n.id)).length,
      expected: (1 - sure[i]!) * s.notes.length,
      doubt: 1 - sure[i]!,
    }))
    .sort((a, b) => b.doubt - a.doubt);
  const most = Math.floor((notes.length * MOST_OF_HUNDRED) / 100);
  places.forEach((place, i) => {
    into.wrong += place.wrong;
    into.expected += place.expected;
    if (i >= most) return;
    into.listed += place.wrong;
    into.expectedListed += place.expected;
  });
  const alone = linedUp(notes, { ...recipe, lines: 'nearest', chord: 0 }, { tempo, meter }, treatmentOf(recipe));
  into.notes += notes.length;
  into.nearest += alone.units.filter((u) => isWrong(u.line, u.notes[0]!.id)).length;
}

/** Cholesky factorization, in place: `a` becomes its lower triangular factor. */
function solved(a: Float64Array[], b: Float64Array): Float64Array {
  const n = b.length;
  const x = Float64Array.from(b);
  for (let j = 0; j < n; j += 1)
    for (let i = j; i < n; i += 1) {
      let s = a[i]![j]!;
      for (let k = 0; k < j; k += 1) s -= a[i]![k]! * a[j]![k]!;
      a[i]![j] = i === j ? Math.sqrt(s) : s / a[j]![j]!;
    }
  for (let i = 0; i < n; i += 1) {
    for (let k = 0; k < i; k += 1) x[i]! -= a[i]![k]! * x[k]!;
    x[i]! /= a[i]![i]!;
  }
  for (let i = n - 1; i >= 0; i -= 1) {
    for (let k = i + 1; k < n; k += 1) x[i]! -= a[k]![i]! * x[k]!;
    x[i]! /= a[i]![i]!;
  }
  return x;
}

/** Frequencies of the players' drift in hertz, and their number. */
const BAND = [0.4 / 14, 1.6 / 14] as const;
const CUTS = 60;
/** Leans of the players' places, in milliseconds. */
const LEAN = 6;

/**
 * Wiener estimate of drift, the best linear one, from its variance and band, the leans, the looseness and the true
 * lines.
 */
function bestDrift(units: readonly Unit[], { meant, small, drift }: Played, noise: number, spread: number): number[] {
  const places = [...new Set(units.map((u) => meant.get(u.notes[0]!.id)! % 3840))];
  const rates = Array.from({ length: CUTS }, (_, j) => BAND[0] + ((j + 0.5) / CUTS) * (BAND[1] - BAND[0]));
  const size = 2 * CUTS + places.length;
  const rows = units.map(({ at, notes }) => {
    const row = new Float64Array(size);
    rates.forEach((rate, j) => {
      row[2 * j] = Math.cos(2 * Math.PI * rate * at) * (spread / Math.sqrt(CUTS));
      row[2 * j + 1] = Math.sin(2 * Math.PI * rate * at) * (spread / Math.sqrt(CUTS));
    });
    row[2 * CUTS + places.indexOf(meant.get(notes[0]!.id)! % 3840)] = LEAN;
    return row;
  });
  const whole = Array.from({ length: size }, (_, i) => new Float64Array(size).fill(1, i, i + 1));
  const right = new Float64Array(size);
  rows.forEach((row, u) => {
    const { notes } = units[u]!;
    const off = mean(notes.map((n) => drift.get(n.id)! + small.get(n.id)!));
    // Half of the variance is the hand's, half each finger's.
    const sure = 1 / (noise ** 2 * (0.5 + 0.5 / notes.length));
    for (let i = 0; i < size; i += 1) {
      right[i]! += row[i]! * off * sure;
      for (let j = 0; j < size; j += 1) whole[i]![j]! += row[i]! * row[j]! * sure;
    }
  });
  const weights = solved(whole, right);
  return rows.map((row) => row.subarray(0, 2 * CUTS).reduce((s, v, i) => s + v * weights[i]!, 0));
}

function driftBound(): Figure {
  const left = STEADY_WORLDS.map(({ noise, drift: spread, ...settings }) => {
    const world = played({ ...settings, noise, drift: spread });
    const { notes, recipe, tempo, meter } = world;
    const { units } = linedUp(notes, recipe, { tempo, meter }, treatmentOf(recipe));
    const found = bestDrift(units, world, noise, spread);
    let [rest, was] = [0, 0];
    units.forEach((unit, i) => {
      for (const { id } of unit.notes) {
        rest += (world.drift.get(id)! - found[i]!) ** 2;
        was += world.drift.get(id)! ** 2;
      }
    });
    return 100 * Math.sqrt(rest / was);
  });
  return bound(AREA, 'drift left by the best linear estimate, told all but the drift', quantile(left, 0.5), '%');
}

function lineBounds(): Figure[] {
  return NOISES.flatMap((noise) => {
    const told: Told = { notes: 0, nearest: 0, wrong: 0, listed: 0, expected: 0, expectedListed: 0 };
    TEMPOS.forEach((bpm, i) =>
      STYLES.forEach((style, s) =>
        toldOf(played({ seed: 1000 * noise + 10 * i + s, style, bpm, bars: BARS, noise }), noise, told),
      ),
    );
    const of = `told drift, leans and looseness, ${noise} ms`;
    return [
      bound(AREA, `wrong lines, against nearest, ${of}`, told.wrong / told.nearest, 'times'),
      bound(AREA, `wrong ones that are listed, 4 of 100, ${of}`, (100 * told.listed) / told.wrong, '%'),
      bound(AREA, `as many as it expects to be, ${of}`, (100 * told.expectedListed) / told.expected, '%'),
    ];
  });
}

export const boundFigures = (): Promise<Figure[]> => Promise.resolve([...lineBounds(), driftBound()]);
