import { compareTakes } from '../core/picking/compare';
import { HANDS, session, SESSION_STYLES, type Hand, type Session } from '../core/testing/sessionPlayers';
import { madeTakes } from '../core/testing/takes';
import { meterMap } from '../core/time/meter';
import { secondsAt, tempoMap } from '../core/time/tempo';
import { doubtsOf } from '../core/timing/doubts';
import { linedUp, NOTHING_DECIDED } from '../core/timing/unitLines';
import { treat } from '../core/timing/treatment';
import { atLeast, atMost, bound, quantile, type Figure } from './figure';
import { treatmentOf } from './timing';
import { sized, some } from './sizes';

const AREA = 'session';
const LOOSE = some([4, 8, 14, 20, 28], 1);
const TEMPOS = some([66, 84, 104, 124, 150, 176], 1);
const BARS = sized(24, 8);

/** Styles, loosenesses and tempos, each by an even hand and a wandering one. */
function* worlds(): Generator<{ readonly session: Session; readonly loose: number }> {
  for (const loose of LOOSE)
    for (const style of SESSION_STYLES)
      for (const bpm of TEMPOS)
        for (const [i, hand] of (['even', 'wandering'] as const).entries())
          yield {
            loose,
            session: session({ seed: loose * 1000 + bpm + 500 * i, style, bpm, bars: BARS, loose, hand }),
          };
}

const msBetween = ({ tempo }: Session, a: number, b: number): number =>
  (secondsAt(tempo, b) - secondsAt(tempo, a)) * 1000;
const deviation = (values: readonly number[]): number => {
  const mean = values.reduce((a, b) => a + b, 0) / values.length;
  return Math.sqrt(values.reduce((s, v) => s + (v - mean) ** 2, 0) / values.length);
};

interface Gestures {
  all: number;
  whole: number;
  inOrder: number;
  readonly uneven: number[];
}
const none = (): Gestures => ({ all: 0, whole: 0, inOrder: 0, uneven: [] });

/** Counts of gestures of a world kept whole, at usual and full strength. */
function lookAt(world: Session, into: Map<string, Gestures>): void {
  for (const strength of [0.7, 1]) {
    const { notes, tempo, meter, recipe } = world;
    const treated = treat({ notes, controls: [] }, [{ ...treatmentOf(recipe), strength }], { tempo, meter }).notes;
    const after = new Map(treated.map((n) => [n.id, n]));
    for (const { kind, ids } of world.gestures) {
      const own = ids.map((id) => after.get(id)!);
      const [was, now] = [own.map((n) => n.played.start), own.map((n) => n.start)];
      if (kind === 'roll' && msBetween(world, was[0]!, was.at(-1)!) <= 30) continue;
      const gestures = into.get(kind) ?? none();
      into.set(kind, gestures);
      gestures.all += 1;
      const off = now.map((at, i) => Math.abs(at - now[0]! - (was[i]! - was[0]!)));
      if (msBetween(world, 0, Math.max(...off)) < 1) gestures.whole += 1;
      if (now.every((at, i) => i === 0 || at >= now[i - 1]! - 1)) gestures.inOrder += 1;
      const gaps = (all: readonly number[]) => all.slice(1).map((at, i) => msBetween(world, all[i]!, at));
      gestures.uneven.push(deviation(gaps(now)) - deviation(gaps(was)));
    }
  }
}

interface Lines {
  notes: number;
  wrong: number;
  nearest: number;
  listed: number;
  wrongListed: number;
}

function linesOf(world: Session, into: Lines, tenths: number[][]): void {
  const { notes, meant, gestures, recipe, tempo, meter } = world;
  const clock = { tempo, meter };
  const treatment = treatmentOf(recipe);
  // Notes within a trill have no line of their own, though one at the grid's pace may get one.
  const within = new Set(gestures.flatMap((g) => (g.kind === 'trill' || g.kind === 'tremolo' ? g.ids.slice(1) : [])));
  const isWrong = (tick: number, id: string): boolean => !within.has(id) && Math.abs(tick - meant.get(id)!) > 1;
  const lined = linedUp(notes, recipe, clock, treatment);
  const wrong = new Set<string>();
  const doubt = lined.doubt!();
  for (const { line, notes: own, onsets } of lined.units) {
    const tick = lined.lattice.tick[line]!;
    for (const { id } of own) if (isWrong(tick, id)) wrong.add(id);
    const sure = doubt.sure[onsets.at(-1)!]!;
    const tenth = tenths[Math.min(9, Math.floor(sure * 10))]!;
    tenth[0]! += 1;
    tenth[1]! += sure;
    tenth[2]! += Number(!isWrong(tick, own.at(-1)!.id));
  }
  const alone = linedUp(notes, { ...recipe, lines: 'nearest', chord: 0 }, clock, treatment);
  into.nearest += alone.units.filter((u) => isWrong(alone.lattice.tick[u.line]!, u.notes[0]!.id)).length;
  const reading = { notes, controls: [] };
  const listed = doubtsOf(reading, treat(reading, [treatment], clock), [treatment], clock, NOTHING_DECIDED);
  const inEar = new Set(listed.flatMap((d) => [d, ...d.others].flatMap(({ notes: own }) => own.map((n) => n.id))));
  into.notes += notes.length;
  into.wrong += wrong.size;
  into.listed += listed.length;
  into.wrongListed += [...wrong].filter((id) => inEar.has(id)).length;
}

/** Drift left after steadying, as a percentage of what there was; in ms where there was none. */
function steadied(hand: Hand, loose: number, styles: readonly (typeof SESSION_STYLES)[number][]): number {
  const left = styles.flatMap((style) =>
    some([76, 100, 132]).flatMap((bpm) =>
      [1, 2].map((seed) => {
        const world = session({ seed: seed * 100 + loose, style, bpm, bars: 2 * BARS, loose, hand });
        const { notes, tempo, meter, recipe, slow } = world;
        const t = { ...treatmentOf(recipe), way: 'steady' as const };
        let [rest, was] = [0, 0];
        for (const n of treat({ notes, controls: [] }, [t], { tempo, meter }).notes) {
          rest += (slow.get(n.id)! + msBetween(world, n.played.start, n.start)) ** 2;
          was += slow.get(n.id)! ** 2;
        }
        return was > 0 ? 100 * Math.sqrt(rest / was) : Math.sqrt(rest / notes.length);
      }),
    ),
  );
  return quantile(left, 0.5);
}

/** Largest move, in ms, by steadying a rolled part without drift. */
function rolledMoves(): number {
  const moves = [5, 10, 15, 20, 25, 30, 45, 60].flatMap((pace) => {
    const world = session({ seed: 1, style: 'rolled', bpm: 96, bars: BARS, loose: 0, pace });
    const { notes, tempo, meter, recipe } = world;
    const t = { ...treatmentOf(recipe), way: 'steady' as const };
    const treated = treat({ notes, controls: [] }, [t], { tempo, meter }).notes;
    return treated.map((n) => Math.abs(msBetween(world, n.played.start, n.start)));
  });
  return Math.max(...moves);
}

/** Additional slips of a take that is late throughout, besides the one that says so. */
function lateSlips(): number {
  const [meter, tempo] = [meterMap([{ bar: 1, beats: 4, unit: 4 }]), tempoMap([{ tick: 0, bpm: 112 }])];
  const more = some([1, 2, 3]).flatMap((seed) => {
    const { takes } = madeTakes({ takes: 5, bars: 64, bpm: 112, looseness: 12, seed });
    return [45, 120, -200].map((ms) => {
      const by = (ms / 60_000) * 112 * 960;
      const late = takes.map((t, i) =>
        i === 1 ? { ...t, notes: t.notes.map((n) => ({ ...n, start: n.start + by, end: n.end + by })) } : t,
      );
      const slips = (all: typeof takes): number =>
        [...compareTakes(all, 64, tempo, meter).bars.get(takes[1]!.id)!.values()].reduce(
          (n, b) => n + b.slips.length,
          0,
        );
      return slips(late) - slips(takes);
    });
  });
  return quantile(more, 0.5);
}

/** Figures of players that the rules were not tuned on: rolls, ornaments, lines, sureness, drift, late takes. */
export function sessionFigures(): Promise<Figure[]> {
  const gestures = new Map<string, Gestures>();
  const all: Lines = { notes: 0, wrong: 0, nearest: 0, listed: 0, wrongListed: 0 };
  const usual: Lines = { ...all };
  const tenths = Array.from({ length: 10 }, () => [0, 0, 0]);
  const unseen = Array.from({ length: 10 }, () => [0, 0, 0]);
  for (const { session: world, loose } of worlds()) {
    lookAt(world, gestures);
    linesOf(world, all, tenths);
    if (loose <= 20) linesOf(world, usual, unseen);
  }
  const share = (a: number, b: number): number => (b > 0 ? (100 * a) / b : 0);
  const [rolls, trills, tremolos] = ['roll', 'trill', 'tremolo'].map((kind) => gestures.get(kind)!);
  const flat = [gestures.get('flam')!, gestures.get('drag')!];
  const flams = { all: flat[0]!.all + flat[1]!.all, whole: flat[0]!.whole + flat[1]!.whole };
  const off = tenths.flatMap(([n, said, right]) => (n! >= 100 ? [Math.abs(said! - right!) / n!] : []));
  return Promise.resolve([
    atLeast(AREA, 'rolls kept whole, at 0.7 and 1', share(rolls!.whole, rolls!.all), '%', 99),
    atLeast(AREA, 'rolls kept in order, at 0.7 and 1', share(rolls!.inOrder, rolls!.all), '%', 99),
    atMost(
      AREA,
      'trills and tremolos: unevenness added, of 95 in 100 at most',
      quantile([...trills!.uneven, ...tremolos!.uneven], 0.95),
      'ms',
      3,
    ),
    atMost(AREA, 'flams and drags flattened', 100 - share(flams.whole, flams.all), '%', 2),
    atMost(AREA, 'wrong lines, all players', share(all.wrong, all.notes), '%', 1.2),
    bound(AREA, 'wrong lines, nearest', share(all.nearest, all.notes), '%'),
    atMost(AREA, 'wrong lines, up to 20 ms', share(usual.wrong, usual.notes), '%', 1.2),
    atLeast(AREA, 'of the wrong, listed', share(all.wrongListed, all.wrong), '%', 70),
    atLeast(AREA, 'of the wrong, listed, up to 20 ms', share(usual.wrongListed, usual.wrong), '%', 70),
    atMost(AREA, 'listed for 100 notes', share(all.listed, all.notes), 'places', 4),
    atMost(AREA, 'sureness off in the worst tenth', Math.max(...off), '', 0.03),
    atMost(AREA, 'steadying: a rolled part that does not drift moves by', rolledMoves(), 'ms', 1),
    ...HANDS.flatMap((hand) =>
      [10, 20].flatMap((loose) => [
        bound(
          AREA,
          `steadying, ${hand}, ${loose} ms: drift left`,
          steadied(hand, loose, ['comping', 'pushed']),
          hand === 'even' ? 'ms' : '%',
        ),
        bound(
          AREA,
          `steadying, ${hand}, ${loose} ms, sparse: drift left`,
          steadied(hand, loose, ['sparse']),
          hand === 'even' ? 'ms' : '%',
        ),
      ]),
    ),
    atMost(AREA, 'a late take: slips more than it had, middle', lateSlips(), '', 1),
  ]);
}
