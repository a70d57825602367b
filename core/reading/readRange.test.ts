import fc from 'fast-check';
import { expect, it } from 'vitest';
import { newSong } from '../document/document';
import type { Part } from '../document/part';
import { newTake, type Join, type Take } from '../document/take';
import { header, layerEvents, ranges, tempoChanges, transpositions } from '../testing/arbitraries';
import { transpositionOf } from '../document/transposition';
import { meterMap } from '../time/meter';
import { real } from '../testing/realNumbers';
import type { Layer } from '../takes/layer';
import { pick, type Pick } from '../takes/line';
import { packEvents, unpacked } from '../takes/packed';
import { readPart, readerOf, readTakeOf, type Clocks, type Layers } from './reading';

/** A layer as loops, stops, latencies and tempos can make it; one in ten arrived out of order. */
const layers = (id: string): fc.Arbitrary<Layer> =>
  fc
    .record({
      events: layerEvents(),
      inOrder: fc.integer({ min: 0, max: 9 }).map((n) => n > 0),
      range: ranges(60_000),
      tempo: tempoChanges(3),
      latency: fc.record({ output: real(0, 0.3), input: real(-0.05, 0.05) }),
      speed: fc.constantFrom(1, 0.5),
      early: fc.constantFrom(0, 240, 2000),
      seam: fc.option(fc.record({ start: fc.boolean(), end: fc.boolean() })),
      stopped: fc.boolean(),
      rings: fc.option(fc.integer({ min: 0, max: 4000 })),
      // All of it, or from within it on, as what replaces from the first note does.
      clears: fc.option(real(0, 1)),
      packed: fc.boolean(),
    })
    .map(({ events, inOrder, range, seam, stopped, rings, clears, packed, ...head }) => {
      const facts = {
        header: header({ id, ...head, planned: range }),
        closing: {
          ...{ range, stopped },
          clears:
            clears === null ? [] : [{ ...range, from: Math.round(range.from + clears * (range.to - range.from)) }],
          ...(seam ? { seam } : {}),
          ...(rings === null ? {} : { rings: range.to + rings }),
        },
      };
      const played = inOrder ? events : [...events].reverse();
      return packed ? unpacked({ ...facts, packed: packEvents(played) }) : { ...facts, events: played };
    });

interface World {
  readonly part: Part;
  readonly layers: Layers;
  readonly clocks: Clocks;
  /** The part after it was picked anew. */
  readonly then: Part;
}

const picks = fc.array(fc.record({ range: ranges(60_000), of: fc.nat(3) }), { minLength: 1, maxLength: 6 });
const worlds: fc.Arbitrary<World> = fc
  .record({
    all: fc.tuple(layers('l0'), layers('l1'), layers('l2'), layers('l3'), layers('l4')),
    clocks: fc.array(tempoChanges(3), { minLength: 1, maxLength: 3 }),
    warps: fc.array(
      fc.record({ layers: fc.nat(1), edits: fc.nat(1), from: fc.nat(2), to: fc.nat(2), shift: real(-2, 2) }),
      { maxLength: 3 },
    ),
    nudge: real(-300, 300),
    policy: fc.constantFrom('heard' as const, 'played' as const),
    picks: fc.tuple(picks, picks),
    join: fc.option(fc.constantFrom('cut' as const, 'ring' as const, 'take over' as const)),
  })
  .map(({ all, clocks, warps, nudge, policy, picks: chosen, join }) => {
    const part = newSong('x', 'p').parts[0]!;
    const own = [['l0'], ['l1'], ['l2'], ['l3', 'l4']];
    const takes = own.map((ids, i) =>
      newTake({
        ...{ id: `t${i}`, number: i + 1, layers: ids, from: 0, to: 120_000, at: '' },
        ...{ placement: { policy, nudge }, warps: i % 2 ? warps : [] },
        windows: i === 2 ? { l2: [{ from: 2000, to: 30_000 }] } : {},
      }),
    );
    const compOf = (made: (typeof chosen)[0]) =>
      made.reduce<Pick[]>((comp, { range, of }) => pick(comp, { ...range, takeId: `t${of}` }), []);
    const comp = compOf(chosen[0]);
    const meeting = comp.findIndex((p, i) => comp[i + 1]?.from === p.to);
    const joins: Join[] = [];
    if (join !== null && meeting >= 0)
      joins.push({
        ...{ at: comp[meeting]!.to, before: comp[meeting]!.takeId, after: comp[meeting + 1]!.takeId },
        ...{ held: join, lift: true, drop: ['l0:1'], keep: ['l0:3', 'l1:2', 'l3:1'], passed: null },
      });
    const now = { ...part, takes, comp, joins };
    return {
      ...{ part: now, then: { ...now, comp: compOf(chosen[1]) }, clocks },
      layers: new Map(all.map((l) => [l.header.id, l])),
    };
  });

it('a line is the same though of each take only the range is read in which it is heard', () => {
  fc.assert(
    fc.property(worlds, transpositions, ({ part, then, layers: there, clocks }, changes) => {
      const inKey = transpositionOf(changes, meterMap(newSong('x', 'p').meter));
      const { read } = readerOf(there, clocks, inKey);
      // Events that are not packed are all gone through.
      const plain = new Map(
        [...there].map(([id, { header: head, closing, events }]) => [id, { header: head, closing, events }]),
      );
      const whole = Object.assign((take: Take) => readTakeOf(take, plain, clocks, inKey), {
        clearedFrom: read.clearedFrom,
      });
      for (const now of [part, then, part]) expect(readPart(now, read)).toEqual(readPart(now, whole));
      // Who asks for the whole afterwards has it.
      for (const take of part.takes) expect(read(take)).toEqual(whole(take));
    }),
  );
});

it('a take that is heard in a small part of it makes no notes of the rest', () => {
  const events = Array.from({ length: 200 }, (_, i) => ({
    at: i / 4,
    message: { type: i % 2 ? 'noteOff' : 'noteOn', key: 60, velocity: 64 } as const,
  }));
  const range = { from: 0, to: 100 * 960 };
  const facts = { header: header({ id: 'l', planned: range }), closing: { range, clears: [] } };
  const layer = unpacked({ ...facts, packed: packEvents(events) });
  const part = newSong('x', 'p').parts[0]!;
  const placement = { policy: 'heard', nudge: 0 } as const;
  const take = newTake({ id: 't', number: 1, layers: ['l'], ...range, placement, at: '' });
  const { read } = readerOf(new Map([['l', layer]]), []);
  const comp = [{ from: 40 * 960, to: 44 * 960, takeId: 't' }];
  expect(readPart({ ...part, takes: [take], comp }, read).notes.map((n) => n.id)).toEqual([
    'l:40',
    'l:41',
    'l:42',
    'l:43',
  ]);
  expect(read(take, comp[0]).notes.length).toBeLessThan(8);
  expect(read(take).notes.length).toBe(100);
});
