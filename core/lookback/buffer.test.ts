import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import {
  KEEPS,
  offered,
  oldestWorthHolding,
  playingTime,
  takersOf,
  taking,
  trimmed,
  type LookBackBuffer,
} from './buffer';
import { passagesIn } from './passages';
import { roll, event, bufferOf } from '../testing/lookBackBuffers';

describe('what is held', () => {
  it('is at least half an hour of playing; silence is free', () => {
    const night = Array.from({ length: 700 }, (_, i) => event(i, i * 3600_000, 60));
    expect(playingTime(night)).toBe(699 * 3000);
    expect(oldestWorthHolding(night)).toBeGreaterThan(0);
    const from = oldestWorthHolding(night);
    expect(playingTime(night.filter((e) => e.seq >= from))).toBeGreaterThanOrEqual(KEEPS - 3000);
    expect(trimmed(bufferOf(night)).events[0]!.seq).toBe(from);
    const short = bufferOf(night.slice(0, 50));
    expect(trimmed(short)).toBe(short);
  });

  it('is parted by passes, by rolling and by silence, and Keep takes what is fresh', () => {
    const of = bufferOf(
      [
        event(1, 0, 60),
        event(2, 300, 62),
        event(3, 90_000, 64),
        event(4, 91_000, 65, true, 1),
        event(5, 92_000, 67, true, 2),
        event(6, 93_000, 69, true, 3),
      ],
      { takings: [{ by: 'pass', from: 5, to: 5 }] },
    );
    expect(passagesIn(of, () => true).map((s) => [s.events.map((e) => e.seq), s.fresh])).toEqual([
      [[1, 2], false],
      [[3], false],
      [[4], false],
      [[6], true],
    ]);
    expect(
      offered(
        passagesIn(of, () => true),
        's',
      ).rolled.map((s) => s.events.map((e) => e.seq)),
    ).toEqual([[6]]);
    // The pass undone, its events are offered again.
    expect(
      offered(
        passagesIn(of, () => false),
        's',
      ).rolled.map((s) => s.events.map((e) => e.seq)),
    ).toEqual([[4, 5, 6]]);
    expect(
      offered(
        passagesIn(bufferOf([event(1, 0, 60)]), () => true),
        's',
      ).free?.notes,
    ).toBe(1);
    expect(
      offered(
        passagesIn(of, () => true),
        'another song',
      ),
    ).toEqual({ rolled: [], free: null });
  });

  it('is taken once: keeps and passes part the input, over any interleaving', () => {
    const step = fc.oneof(
      { weight: 6, arbitrary: fc.record({ do: fc.constant('play' as const), key: fc.integer({ min: 40, max: 80 }) }) },
      fc.constant({ do: 'roll' as const }),
      fc.constant({ do: 'stop' as const }),
      fc.constant({ do: 'keep' as const }),
      fc.constant({ do: 'undo' as const }),
      fc.record({ do: fc.constant('pass' as const), last: fc.integer({ min: 1, max: 4 }) }),
      fc.constant({ do: 'reload' as const }),
      fc.constant({ do: 'pause' as const }),
    );
    fc.assert(
      fc.property(fc.array(step, { maxLength: 60 }), (steps) => {
        let of: LookBackBuffer = bufferOf([]);
        let rolling: string | null = null;
        let [wall, seq, keeps] = [0, 0, 0];
        const live: string[] = [];
        const isLive = (by: string) => live.includes(by);
        const keptBy = new Map<string, number[]>();
        for (const s of steps) {
          wall += 200;
          if (s.do === 'play') {
            const place = rolling === null ? null : { roll: rolling, at: wall / 1000 };
            of = { ...of, events: [...of.events, event((seq += 1), wall, s.key, true, null, { place })] };
          } else if (s.do === 'roll') {
            rolling = `roll ${seq} ${wall}`;
            of = { ...of, rolls: new Map(of.rolls).set(rolling, roll({ id: rolling })) };
          } else if (s.do === 'stop') rolling = null;
          else if (s.do === 'pause') wall += 10_000;
          else if (s.do === 'undo') live.pop();
          else if (s.do === 'reload')
            of =
              JSON.parse(JSON.stringify({ events: of.events, takings: of.takings })) === null
                ? of
                : { ...of, events: [...of.events], takings: [...of.takings] };
          else {
            const all =
              s.do === 'pass'
                ? passagesIn(of, isLive)
                    .slice(-1)
                    .map((x) => x.events.slice(-s.last))
                : (() => {
                    const { rolled, free } = offered(passagesIn(of, isLive), 's');
                    return [...rolled.map((x) => x.events), ...(free ? [free.events] : [])];
                  })();
            const by = `taking ${(keeps += 1)}`;
            const events = all.flat();
            if (events.length === 0) continue;
            // Kept events were taken before only by passes that are undone by now.
            const seqs = new Set(events.map((e) => e.seq));
            const before = [...keptBy].flatMap(([taker, own]) => (own.some((n) => seqs.has(n)) ? [taker] : []));
            expect([...takersOf(events, of.takings)].sort()).toEqual(before.sort());
            expect(before.some(isLive)).toBe(false);
            live.push(by);
            keptBy.set(
              by,
              events.map((e) => e.seq),
            );
            of = { ...of, takings: [...of.takings, ...all.flatMap((x) => taking(by, x))] };
          }
          // Whatever is in a live taking is not offered, and the other way round; in order, and nothing twice.
          const taken = live.flatMap((by) => keptBy.get(by)!);
          const listed = passagesIn(of, isLive).flatMap((x) => x.events.map((e) => e.seq));
          expect(new Set(taken).size).toBe(taken.length);
          expect([...taken, ...listed].sort((a, b) => a - b)).toEqual(of.events.map((e) => e.seq));
          expect(listed).toEqual([...listed].sort((a, b) => a - b));
        }
      }),
    );
  });
});
