import { compareTakes } from '../core/picking/compare';
import { alignTakes } from '../core/picking/slots';
import { suggestComp } from '../core/picking/suggest';
import { madeTakes, type MadeTakes } from '../core/testing/takes';
import { atPlaces } from '../core/takes/join';
import { barStart, meterMap } from '../core/time/meter';
import { tempoMap } from '../core/time/tempo';
import { atLeast, atMost, under, type Figure } from './figure';
import { sized, some } from './sizes';

const BARS = sized(200, 40);
const meter = meterMap([{ bar: 1, beats: 4, unit: 4 }]);

/** Share of notes in one slot with the others of the same written note. */
function alignedShare(made: MadeTakes, bpm: number): number {
  const wrong = new Set(made.slips.filter((s) => s.kind === 'wrong').map((s) => `${s.take}:${s.note}`));
  const most = new Map<string, number>();
  const all = new Map<string, number>();
  for (const { struck } of alignTakes(made.takes, tempoMap([{ tick: 0, bpm }]), meter)) {
    const here = new Map<string, number>();
    for (const { note } of struck) {
      const meant = wrong.has(note.id) ? undefined : made.meant.get(note.id);
      if (meant) here.set(meant, (here.get(meant) ?? 0) + 1);
    }
    const [top] = [...here].sort((a, b) => b[1] - a[1]);
    for (const [meant, count] of here) {
      all.set(meant, (all.get(meant) ?? 0) + count);
      if (meant === top?.[0]) most.set(meant, Math.max(most.get(meant) ?? 0, count));
    }
  }
  const sum = (counts: ReadonlyMap<string, number>) => [...counts.values()].reduce((a, b) => a + b, 0);
  return sum(most) / sum(all);
}

interface Found {
  readonly named: number;
  readonly falsePer200: number;
  readonly right: number;
  readonly calledSlips: number;
  readonly cutJoins: number;
  readonly ms: number;
}

/** Quality of a comparison of takes, and of the suggested comp. */
function found(made: MadeTakes, bpm: number): Found {
  const tempo = tempoMap([{ tick: 0, bpm }]);
  const began = performance.now();
  const comparison = compareTakes(made.takes, BARS, tempo, meter);
  const comp = suggestComp(made.takes, comparison, new Map(), BARS, meter);
  const ms = performance.now() - began;
  const count = (all: readonly { readonly take: string; readonly kind: string; readonly bar: number }[]) => {
    const counts = new Map<string, number>();
    for (const { take, kind, bar } of all) {
      const key = `${take}|${kind}|${bar}`;
      counts.set(key, (counts.get(key) ?? 0) + 1);
    }
    return counts;
  };
  const said = [...comparison.bars].flatMap(([take, bars]) =>
    [...bars].flatMap(([bar, facts]) => facts.slips.map(({ kind }) => ({ take, kind, bar }))),
  );
  const [known, told] = [count(made.slips), count(said)];
  let [named, wrongly] = [0, 0];
  for (const [key, n] of known) named += Math.min(n, told.get(key) ?? 0);
  for (const [key, n] of told) wrongly += Math.max(0, n - (known.get(key) ?? 0));
  const notes = made.takes.reduce((n, t) => n + t.notes.length, 0);
  // A bar of the suggestion is right if the take heard in most of it has no slip there.
  const slipsIn = new Set(made.slips.map((s) => `${s.take} ${s.bar}`));
  let [could, right] = [0, 0];
  for (let bar = 1; bar <= BARS; bar += 1) {
    if (made.takes.every((t) => slipsIn.has(`${t.id} ${bar}`))) continue;
    could += 1;
    const [from, to] = [barStart(meter, bar), barStart(meter, bar + 1)];
    const heard = comp.filter((c) => c.from < to && c.to > from);
    const slips = made.slips.filter((s) => s.bar === bar);
    const heardSlips = slips.filter((s) => {
      const share = heard.find((c) => c.takeId === s.take);
      if (!share) return false;
      if (share.from <= from && share.to >= to) return true;
      const note = made.takes.find((t) => t.id === s.take)!.notes.find((n) => n.id.endsWith(s.note));
      return !note || (note.start >= share.from && note.start < share.to);
    });
    if (heardSlips.length === 0) right += 1;
  }
  const varied = made.variations.flatMap((v) => v.takes.map((take) => ({ take, bar: v.bar })));
  // Share of intended variations that are called slips.
  const notesIn = (take: string, bar: number) =>
    made.takes.find((t) => t.id === take)!.notes.filter((n) => n.id.startsWith(`${take}:${bar}:`)).length;
  const isOther = ({ kind }: { readonly kind: string }) => ['missing', 'extra', 'wrong'].includes(kind);
  let [playedOtherwise, called] = [0, 0];
  for (const { take, bar } of varied) {
    const facts = comparison.bars.get(take)!.get(bar)!;
    const own = made.slips.filter((s) => s.take === take && s.bar === bar && isOther(s)).length;
    playedOtherwise += notesIn(take, bar);
    called += Math.max(0, facts.slips.filter(isOther).length - own);
  }
  const byId = new Map(made.takes.map((t) => [t.id, t]));
  const cutJoins = comp.slice(1).filter((next, i) => {
    const at = next.from;
    const before = byId.get(comp[i]!.takeId)!;
    return [before, byId.get(next.takeId)!].some((take) => atPlaces(take, [at])[0]!.held.length > 0);
  }).length;
  return {
    named: named / made.slips.length,
    falsePer200: (wrongly / notes) * 200,
    right: right / could,
    calledSlips: playedOtherwise ? called / playedOtherwise : 0,
    cutJoins,
    ms,
  };
}

/** Figures of comparing takes with slips at known places. */
export async function pickingFigures(): Promise<Figure[]> {
  const session = { bars: BARS, bpm: 112, looseness: 14 };
  const figures: Figure[] = [];
  for (const takes of some([20, 10, 5, 3, 2] as const)) {
    const all = some([1, 2, 3]).map((seed) => madeTakes({ ...session, takes, seed }));
    const aligned = Math.min(...all.map((made) => alignedShare(made, session.bpm)));
    const got = all.map((made) => found(made, session.bpm));
    const worst = (of: (f: Found) => number) => Math.max(...got.map(of));
    const least = (of: (f: Found) => number) => Math.min(...got.map(of));
    const name = (what: string) => `${takes} takes of ${BARS} bars: ${what}`;
    figures.push(atLeast('pick', name('notes aligned right'), aligned * 100, '%', takes === 2 ? 99 : 99.5));
    // With two takes nothing tells which is right; more are compared with that.
    const [slips, right] = ({ 20: [97, 98], 10: [96, 98], 5: [95, 97], 3: [88, 95], 2: [0, 0] } as const)[takes];
    figures.push(
      atLeast('pick', name('slips named'), least((f) => f.named) * 100, '%', slips),
      atMost(
        'pick',
        name('named wrongly, for 200 notes'),
        worst((f) => f.falsePer200),
        '',
        takes >= 20 ? 1 : 2,
      ),
      atLeast('pick', name('bars right that some take has right'), least((f) => f.right) * 100, '%', right),
      under(
        'pick',
        name('notes varied on purpose called slips'),
        worst((f) => f.calledSlips) * 100,
        '%',
        takes >= 20 ? 1 : 5,
      ),
      atMost(
        'pick',
        name('joins in held notes'),
        worst((f) => f.cutJoins),
        '',
        0,
      ),
      under('pick', name('the time for it'), least((f) => f.ms) / 1000, 's', 1),
    );
  }
  return figures;
}
