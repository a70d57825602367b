import { played, STYLES, type Played, type Style } from '../core/testing/players';
import { doubtsOf } from '../core/timing/doubts';
import { mixDown, spectrumOf } from '../core/backing/spectrum';
import { strokesOf } from '../core/backing/strokes';
import { seeded } from '../core/random';
import { SHIPPED_FEELS, type Feel } from '../core/timing/feel';
import type { Treatment } from '../core/timing/treatments';
import { lineColumns, readLines } from '../core/timing/lineColumns';
import { lineUpAs, linedUp, NOTHING_DECIDED } from '../core/timing/unitLines';
import { columnsOf } from '../core/timing/noteColumns';
import type { Recipe } from '../core/timing/recipe';
import { feelOfStrokes } from '../core/timing/takingFeel';
import { notesOfEach, treat } from '../core/timing/treatment';
import { secondsAt } from '../core/time/tempo';
import { atMost, atLeast, quantile, under, type Figure } from './figure';
import { sized, some } from './sizes';

const AREA = 'timing';
const BARS = sized(40, 12);
export const NOISES: readonly number[] = [8, 14, 20, 28, 35];
export const TEMPOS = some([70, 85, 96, 110, 120, 132, 145, 160, 180], 4);
const RANGE = { from: 0, to: 4000 * 960 };

export const treatmentOf = (recipe: Recipe): Treatment => ({ id: 't', ...RANGE, ...recipe });

interface Wrong {
  notes: number;
  nearest: number;
  phrase: number;
  listed: number;
  wrongListed: number;
}
const none = (): Wrong => ({ notes: 0, nearest: 0, phrase: 0, listed: 0, wrongListed: 0 });

/** Numbers of notes on a wrong line, and of those that are listed. */
function wrongIn({ notes, meant, recipe, tempo, meter }: Played, into: Wrong): void {
  const clock = { tempo, meter };
  const reading = { notes, controls: [] };
  const treatment = treatmentOf(recipe);
  const { lattice, units } = linedUp(notes, recipe, clock, treatment);
  const wrong = new Set<string>();
  for (const unit of units)
    for (const note of unit.notes) if (Math.abs(lattice.tick[unit.line]! - meant.get(note.id)!) > 1) wrong.add(note.id);
  const alone = linedUp(notes, { ...recipe, lines: 'nearest', chord: 0 }, clock, treatment);
  const missed = alone.units.filter((u) => Math.abs(alone.lattice.tick[u.line]! - meant.get(u.notes[0]!.id)!) > 1);
  const treated = treat(reading, [treatment], clock);
  const listed = doubtsOf(reading, treated, [treatment], clock, NOTHING_DECIDED);
  into.notes += notes.length;
  into.nearest += missed.length;
  into.phrase += wrong.size;
  into.listed += listed.length;
  into.wrongListed += new Set(
    listed
      .flatMap((d) => [d, ...d.others].flatMap(({ notes: own }) => own.map((n) => n.id)))
      .filter((id) => wrong.has(id)),
  ).size;
}

function linesFigures(): Figure[] {
  const all = none();
  const usual = none();
  const byNoise = new Map(NOISES.map((n) => [n as number, none()]));
  const at120 = none();
  for (const noise of NOISES)
    TEMPOS.forEach((bpm, i) =>
      STYLES.forEach((style: Style, s) => {
        const world = played({ seed: 1000 * noise + 10 * i + s, style, bpm, bars: BARS, noise });
        for (const into of [all, byNoise.get(noise)!, ...(noise <= 20 ? [usual] : [])]) wrongIn(world, into);
      }),
    );
  for (let seed = 1; seed <= sized(12, 1); seed += 1)
    wrongIn(played({ seed, style: 'sixteenths', bpm: 120, bars: BARS, noise: 20 }), at120);
  const share = (a: number, b: number): number => (b > 0 ? a / b : 0);
  const per100 = (a: number, b: number): number => 100 * share(a, b);
  return [
    ...[...byNoise].map(([noise, w]) =>
      atMost(
        AREA,
        `wrong lines, by the phrase against nearest, ${noise} ms`,
        share(w.phrase, w.nearest),
        'times',
        1 / 3,
      ),
    ),
    atMost(AREA, 'wrong lines, by the phrase against nearest, all', share(all.phrase, all.nearest), 'times', 1 / 3),
    under(AREA, 'wrong lines, sixteenths at 120, 20 ms', per100(at120.phrase, at120.notes), '%', 1),
    atLeast(AREA, 'of them listed, sixteenths at 120, 20 ms', per100(at120.wrongListed, at120.phrase), '%', 95),
    atLeast(AREA, 'wrong ones that are listed, up to 20 ms', per100(usual.wrongListed, usual.phrase), '%', 95),
    atLeast(AREA, 'wrong ones that are listed, all', per100(all.wrongListed, all.phrase), '%', 95),
    atMost(AREA, 'listed for 100 notes, all', per100(all.listed, all.notes), 'places', 4),
  ];
}

function correlation(a: readonly number[], b: readonly number[]): number {
  const mean = (x: readonly number[]): number => x.reduce((s, v) => s + v, 0) / x.length;
  const [ma, mb] = [mean(a), mean(b)];
  let [ab, aa, bb] = [0, 0, 0];
  a.forEach((v, i) => {
    ab += (v - ma) * (b[i]! - mb);
    aa += (v - ma) ** 2;
    bb += (b[i]! - mb) ** 2;
  });
  return ab / Math.sqrt(aa * bb);
}

/** Hands that drift far more than others. */
export const STEADY_WORLDS = [8, 14, 20].flatMap((noise) =>
  [30, 45].flatMap((drift) =>
    [0, 1, 2, 3].map((i) => ({ seed: 77 * i + noise, style: STYLES[i]!, bpm: TEMPOS[i]!, bars: 64, noise, drift })),
  ),
);

/** Drift left after steadying, and the share of micro-timing that is kept. */
function steadyFigures(): Figure[] {
  const left: number[] = [];
  const kept: number[] = [];
  for (const settings of STEADY_WORLDS) {
    const world = played(settings);
    const { notes, tempo, meter } = world;
    const t = treatmentOf({ ...world.recipe, way: 'steady' });
    const now = new Map(treat({ notes, controls: [] }, [t], { tempo, meter }).notes.map((n) => [n.id, n.start]));
    const rest: number[] = [];
    const was: number[] = [];
    const small: number[] = [];
    const after: number[] = [];
    for (const note of notes) {
      const by = (secondsAt(tempo, now.get(note.id)!) - secondsAt(tempo, note.start)) * 1000;
      const slow = world.drift.get(note.id)!;
      rest.push((slow + by) ** 2);
      was.push(slow ** 2);
      small.push(world.small.get(note.id)!);
      after.push(world.small.get(note.id)! + slow + by);
    }
    const sum = (x: readonly number[]): number => x.reduce((s, v) => s + v, 0);
    left.push(100 * Math.sqrt(sum(rest) / sum(was)));
    kept.push(correlation(small, after));
  }
  return [
    atMost(AREA, 'steady the hand: drift left, of what there was, middle', quantile(left, 0.5), '%', 10),
    atLeast(AREA, 'steady the hand: feel kept, correlation, middle', quantile(kept, 0.5), '', 0.97),
  ];
}

const RATE = 44_100;

/** Drums with a feel, a bass and a held chord under them: kick on the beats, snare on two and four, hats throughout. */
function drums(feel: Feel, bars: number, secondsOf: (tick: number) => number): Float32Array {
  const random = seeded(7);
  const wave = new Float32Array(Math.ceil((secondsOf(bars * feel.bar) + 1) * RATE));
  const press = (at: number, level: number, decay: number, tone: (t: number, fall: number) => number): void => {
    const first = Math.round(at * RATE);
    for (let i = 0; i < 6 * decay * RATE && first + i < wave.length; i += 1) {
      const fall = Math.exp(-i / (decay * RATE));
      wave[first + i]! += level * fall * tone(i / RATE, fall);
    }
  };
  const hiss = () => random.normal(0.5);
  for (let bar = 0; bar < bars; bar += 1)
    feel.places.forEach((p, i) => {
      const at = secondsOf(bar * feel.bar + p.at) + (p.ms + random.normal(3)) / 1000 + 0.05;
      const level = 0.25 + p.touch / 100;
      if (p.at % 1920 === 0) press(at, level + 0.3, 0.07, (t, fall) => Math.sin(2 * Math.PI * (55 + 90 * fall) * t));
      if (p.at % 1920 === 960) press(at, level + 0.2, 0.05, hiss);
      if (i % 2 === 0 || random.unit() < 0.6) press(at, level * 0.6, 0.018, hiss);
    });
  for (let i = 0; i < wave.length; i += 1) {
    const t = i / RATE;
    wave[i]! += 0.06 * Math.sin(2 * Math.PI * 82.4 * t) + 0.03 * Math.sin(2 * Math.PI * 330 * t);
  }
  return wave;
}

/** Feels of recordings: how far what is taken from their sound is from what was played. */
function feelFigures(): Figure[] {
  const errors: number[] = [];
  const { tempo, meter } = played({ seed: 1, style: 'sixteenths', bpm: 100, bars: 1, noise: 0 });
  for (const feel of SHIPPED_FEELS) {
    const wave = [drums(feel, 16, (tick) => secondsAt(tempo, tick))];
    const strokes = strokesOf(spectrumOf(wave, RATE), mixDown(wave, RATE)).map((s) => ({ ...s, at: s.at - 0.05 }));
    const found = feelOfStrokes('x', strokes, '16 straight', { tempo, meter }, { from: 0, to: 16 * 3840 })!;
    for (const place of feel.places) {
      const own = found.places.find((p) => Math.abs(p.at - place.at) < 1);
      errors.push(own ? Math.abs(own.ms - place.ms) : 100);
    }
  }
  return [atMost(AREA, 'feel taken from a recording: error by place, middle', quantile(errors, 0.5), 'ms', 5)];
}

function treatedFigures(): Figure[] {
  const world = played({ seed: 5, style: 'sixteenths', bpm: 120, bars: 570, noise: 18 });
  const notes = world.notes.slice(0, 10_000);
  const clock = { tempo: world.tempo, meter: world.meter };
  const full: Recipe = {
    ...{ grid: '16 straight', second: '8 triplet', lines: 'phrase', strength: 0.8, ends: 'snap end', endStrength: 0.5 },
    ...{ swing: { percent: 56, of: 16 }, offset: 4, within: 4, beyond: 120, chord: 60 },
    touch: { level: 70, strength: 0.3, range: 0.8 },
    feel: { feel: SHIPPED_FEELS[0]!, timing: 0.5, touch: 0.5 },
    loose: { spread: 3, seed: 4 },
  };
  const treatment = treatmentOf(full);
  const again: number[] = [];
  const inWorker: number[] = [];
  const onPage: number[] = [];
  for (let i = 0; i < 8; i += 1) {
    // What a worker does: finds the lines, and how sure they are.
    const sent = [...notes];
    let began = performance.now();
    const back = lineColumns(linedUp(sent, full, clock, treatment), sent, false);
    const found = performance.now() - began;
    const arrived = structuredClone(back);
    // What the page does before and after.
    const own = [...notes];
    began = performance.now();
    for (const [t, its] of notesOfEach(own, [treatment])) {
      columnsOf(its, { tempo: clock.tempo.changes, meter: [] }, NOTHING_DECIDED);
      lineUpAs(readLines(arrived, its), its, t, clock, t, NOTHING_DECIDED);
    }
    treat({ notes: own, controls: [] }, [treatment], clock);
    const first = performance.now() - began;
    began = performance.now();
    // A setting is moved: the lines stay where they were found.
    treat({ notes: own, controls: [] }, [treatmentOf({ ...full, strength: 0.5 + i / 20 })], clock);
    if (i < 3) continue;
    inWorker.push(found);
    onPage.push(first);
    again.push(performance.now() - began);
  }
  return [
    atMost(AREA, `${notes.length} notes treated, a setting moved`, quantile(again, 0.5), 'ms', 50),
    atMost(AREA, `${notes.length} notes treated, their lines found in a worker`, quantile(onPage, 0.5), 'ms', 50),
    under(AREA, `${notes.length} notes: finding their lines, in the worker`, quantile(inWorker, 0.5), 'ms', 1000),
  ];
}

export function timingFigures(): Promise<Figure[]> {
  return Promise.resolve([...linesFigures(), ...steadyFigures(), ...feelFigures(), ...treatedFigures()]);
}
