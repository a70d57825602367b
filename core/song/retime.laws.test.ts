import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { mapsOf } from '../document/maps';
import type { SongDocument } from '../document/document';
import { atRest, laneOf } from '../performance/controls';
import { carriedOut, editedWorlds, gestures, madeOf, type EditedWorld } from '../testing/edits';
import { tempoChanges } from '../testing/arbitraries';
import { real } from '../testing/realNumbers';
import { secondsAt } from '../time/tempo';
import { change } from './changes';
import { readerOf, readPart } from '../reading/reading';

const WORLDS = Number(process.env['WORLDS'] ?? 120);

const tempos = tempoChanges(3).map((all) =>
  [...all].sort((a, b) => a.tick - b.tick).map((t, i) => (i === 0 ? { ...t, tick: 0 } : t)),
);

/** As far ahead of a place as a note can mean it, in seconds, at the slowest tempo. */
const MEANT = 0.26;

/** With a lane picked from another take, and what was chosen for the first join. */
function withPicks({ song, layers }: EditedWorld, at: number, held: 'cut' | 'ring' | 'take over'): EditedWorld {
  const [part] = song.parts;
  const { takes, comp } = part!;
  const from = Math.round(at * 60_000);
  const lanes = [{ from, to: from + 12_000, takeId: takes.at(-1)!.id, lane: null }];
  const meeting = comp.findIndex((p, i) => comp[i + 1]?.from === p.to);
  const joins =
    meeting < 0
      ? []
      : [
          {
            ...{ at: comp[meeting]!.to, before: comp[meeting]!.takeId, after: comp[meeting + 1]!.takeId },
            ...{ held, lift: true, drop: ['l0:1'], keep: ['l0:3'], passed: null },
          },
        ];
  return { layers, song: { ...song, parts: [{ ...part!, lanes, joins, treatments: [] }] } };
}

/** A part's line in seconds: notes, and what each controller comes to hold. */
function heard(song: SongDocument, layers: EditedWorld['layers']) {
  const { tempo } = mapsOf(song);
  const { notes, controls } = readPart(song.parts[0]!, readerOf(layers, song.clocks).read);
  return {
    notes: notes.map((n) => ({ id: n.id, from: secondsAt(tempo, n.start), to: secondsAt(tempo, n.end), key: n.key })),
    moves: controls.map(({ at, message }) => ({
      ...{ lane: laneOf(message), at: secondsAt(tempo, at) },
      ...{ value: message.value, rest: atRest(message)?.value },
    })),
  };
}

describe('takes that stay with the recording when the tempo changes', () => {
  it('sound as they did, to the tick: notes, joins that were decided, and controllers picked alone', () => {
    fc.assert(
      fc.property(
        editedWorlds,
        fc.array(gestures, { maxLength: 3 }),
        fc.array(tempos, { minLength: 1, maxLength: 2 }),
        real(0, 1),
        fc.constantFrom('cut' as const, 'ring' as const, 'take over' as const),
        (start, all, changes, at, held) => {
          const edited = all.reduce((now, gesture) => carriedOut(now, madeOf(now, gesture)), start);
          const { song, layers } = withPicks(edited, at, held);
          // Notes within a few ticks of a join may come to lie on its other side by rounding.
          const { read } = readerOf(layers, song.clocks);
          const [part] = song.parts;
          const onJoin = (at: number): boolean =>
            part!.comp.some((c) => Math.abs(c.from - at) < 4 || Math.abs(c.to - at) < 4);
          fc.pre(!part!.takes.some((t) => read(t).notes.some((n) => onJoin(n.start) || onJoin(n.end))));
          const before = heard(song, layers);
          const after = changes.reduce(
            (doc, tempo) => change(doc, { type: 'set tempo', retiming: { tempo, takes: 'recording' } }).document,
            song,
          );
          const now = heard(after, layers);
          // Joins lie on whole ticks in either tempo; at 30 bpm one is two thousandths of a second.
          const near = (a: number, b: number): boolean => Math.abs(a - b) < 0.009;
          const closeTo = (seconds: number): boolean =>
            after.parts[0]!.comp.some((c) => Math.abs(secondsAt(mapsOf(after).tempo, c.from) - seconds) < MEANT);
          const close = (x: { from: number }): boolean => closeTo(x.from);
          // Which place a note just ahead of a join means goes by ticks: in another tempo it may mean the other.
          // Two notes of a key that fall on one tick are heard as one; in another tempo they may be two.
          const isDouble = (n: { id: string; key: number; from: number }): boolean =>
            [...before.notes, ...now.notes].some((m) => m.id !== n.id && m.key === n.key && near(m.from, n.from));
          const inner = (h: typeof now) => h.notes.filter((n) => !close(n) && !isDouble(n));
          expect(inner(now).map((n) => n.id)).toEqual(inner(before).map((n) => n.id));
          inner(now).forEach((n, i) => {
            expect(near(n.from, inner(before)[i]!.from)).toBe(true);
            const { to } = inner(before)[i]!;
            // The take after a join may cut a note that is held up to there, by the same rule.
            expect(near(n.to, to) || (closeTo(n.to) && closeTo(to))).toBe(true);
          });
          const values = (h: typeof now, seconds: number) => {
            const held = new Map<string, number | undefined>();
            // A controller at rest need not be said.
            for (const m of h.moves) if (m.at < seconds) held.set(m.lane, m.value === m.rest ? undefined : m.value);
            return [...held].filter(([, value]) => value !== undefined).sort(([a], [b]) => a.localeCompare(b));
          };
          // Away from what moves, each controller holds what it held.
          const moments = before.moves.map((m) => m.at + 0.02);
          for (const moment of moments) {
            if ([...before.moves, ...now.moves].some((m) => near(m.at, moment))) continue;
            expect(values(now, moment)).toEqual(values(before, moment));
          }
        },
      ),
      { numRuns: WORLDS },
    );
  });
});
