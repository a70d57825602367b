import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { layerEvents } from '../testing/arbitraries';
import { layersOf, run } from '../testing/passes';
import { change } from '../song/changes';
import { EVERYTHING } from '../recording/inputRoutes';
import { planPass } from '../recording/plan';
import type { PassInput } from '../recording/state';
import { readLayer } from '../takes/layer';
import { secondsAt } from '../time/tempo';
import { offered, taking, type LookBackBuffer, type BufferedEvent } from './buffer';
import { passagesIn } from './passages';
import { keepRolled } from './keep';
import { song, maps, HEARS, roll, event, bufferOf, facts } from '../testing/lookBackBuffers';

describe('keeping what rolled', () => {
  it('is, event for event, what a pass over the same passage would have recorded', () => {
    fc.assert(
      fc.property(
        layerEvents(8.2, 15),
        fc.constantFrom('new take' as const, 'merge' as const, 'replace' as const, 'replace while I play' as const),
        (events, mode) => {
          fc.pre(events.some((e) => e.message.type === 'noteOn'));
          const of = bufferOf(
            events.map((e, i): BufferedEvent => ({
              seq: i + 1,
              wall: e.at * 1000,
              port: 'x',
              message: e.message,
              listening: 1,
              place: { roll: 'r', at: e.at },
            })),
          );
          const kept = keepRolled(facts(of, -1, { mode }), -Infinity, 15.5);
          const [layer] = kept.layers.map((l) => l.layer);
          // The same passage by the pass itself: punched in at that bar, stopped where the keep ends.
          let n = 0;
          const { from, to } = layer!.closing.range;
          const brief = { ...song.brief, mode, range: null };
          const plan = planPass({
            song: { ...song, brief },
            maps,
            listeners: [{ part: song.parts[0]!, route: EVERYTHING }],
            start: from,
            from: 'Look-back',
            latency: { output: 0, input: 0 },
            newId: () => `id ${n++}`,
            at: '2026-01-01T00:00:00.000Z',
            punched: true,
          });
          const startsAt = secondsAt(maps.tempo, from);
          const inputs: PassInput[] = [
            { type: 'play', from: 0, endsAt: 80 },
            ...events.filter((e) => e.at < startsAt).map((e): PassInput => ({ type: 'key', port: 'x', ...e })),
            { type: 'punch in', at: startsAt, plan },
            ...events.filter((e) => e.at >= startsAt).map((e): PassInput => ({ type: 'key', port: 'x', ...e })),
            { type: 'stop', at: secondsAt(maps.tempo, to) },
            { type: 'clock', at: 99 },
          ];
          const [recorded] = layersOf(run(inputs).effects);
          expect(layer!.events).toEqual(recorded!.events);
          expect(layer!.closing).toEqual(recorded!.closing);
          expect(readLayer(layer!, layer!.header.placement)).toEqual(readLayer(recorded!, recorded!.header.placement));
          // Every note is there, where it was played.
          const struck = events.filter((e) => e.message.type === 'noteOn').length;
          expect(readLayer(layer!, layer!.header.placement).notes).toHaveLength(struck);
        },
      ),
    );
  });

  it('again and again takes what came since, each part what it heard, and laps come apart', () => {
    const two = { id: 2, song: 's', parts: [{ part: 'organ', ear: EVERYTHING }] };
    const of = bufferOf(
      [
        event(1, 0, 60, true, 4.1),
        event(2, 100, 60, false, 4.4),
        event(3, 200, 62, true, 5, { listening: 2 }),
        event(4, 300, 62, false, 5.4, { listening: 2 }),
      ],
      {
        listenings: new Map([
          [1, HEARS],
          [2, two],
        ]),
      },
    );
    const placements = new Map([
      ['piano', { policy: 'heard', nudge: 0 } as const],
      ['organ', { policy: 'heard', nudge: 0 } as const],
    ]);
    const kept = keepRolled(facts(of, -1, { placements }), -Infinity, 20);
    const played = kept.layers.map(({ layer }) => [
      layer.header.partId,
      readLayer(layer, layer.header.placement).notes.map((n) => n.key),
    ]);
    expect(played).toEqual([
      ['piano', [60]],
      ['organ', [62]],
    ]);
    const after = keepRolled(facts(bufferOf([event(5, 400, 64, true, 5.5), event(6, 500, 64, false, 5.7)])), 5.4, 20);
    expect(after.layers[0]!.layer.closing.range.from).toBeGreaterThan(5.4 * 1920);
    const looped = bufferOf(
      [1, 3, 5].map((at, i) => event(i + 1, at * 1000, 60 + i, true, at)),
      { rolls: new Map([['r', roll({ loop: { from: 0, to: 2 } })]]) },
    );
    const laps = keepRolled(facts(looped), -Infinity, 5.5);
    expect(
      laps.layers.map(({ layer }) => [
        layer.header.lap,
        readLayer(layer, layer.header.placement).notes.map((n) => [n.key, n.start]),
      ]),
    ).toEqual([
      [0, [[60, 1920]]],
      [1, [[61, 1920]]],
      [2, [[62, 1920]]],
    ]);
    expect(laps.results).toHaveLength(3);
  });

  it('loses no note and keeps none twice, whatever loops, whichever part listens, and however often it is kept', () => {
    const struck = fc.array(
      fc.record({
        at: fc.integer({ min: 10, max: 11_900 }),
        length: fc.integer({ min: 20, max: 900 }),
        part: fc.boolean(),
      }),
      { minLength: 1, maxLength: 24 },
    );
    const two = { id: 2, song: 's', parts: [{ part: 'organ', ear: EVERYTHING }] };
    const placements = new Map([
      ['piano', { policy: 'heard', nudge: 0 } as const],
      ['organ', { policy: 'heard', nudge: 0 } as const],
    ]);
    fc.assert(
      fc.property(
        struck,
        fc.boolean(),
        fc.array(fc.integer({ min: 100, max: 12_000 }), { maxLength: 3 }),
        (notes, loops, cuts) => {
          // Each onset has a key of its own, so that a release can never be taken for another's.
          const events = notes
            .flatMap((n, i) => [
              { at: n.at, key: 30 + i, on: true, part: n.part },
              { at: n.at + n.length, key: 30 + i, on: false, part: n.part },
            ])
            .sort((a, b) => a.at - b.at)
            .map((e, i) => event(i + 1, e.at, e.key, e.on, e.at / 1000, { listening: e.part ? 1 : 2 }));
          const of = bufferOf(events, {
            listenings: new Map([
              [1, HEARS],
              [2, two],
            ]),
            rolls: new Map([['r', roll({ loop: loops ? { from: 0, to: 4 } : null })]]),
          });
          let now: LookBackBuffer = of;
          let before = -Infinity;
          const kept: number[] = [];
          for (const cut of [...cuts, 14_000].sort((a, b) => a - b)) {
            const sofar: LookBackBuffer = { ...now, events: now.events.filter((e) => e.wall <= cut) };
            const [passage] = offered(
              passagesIn(sofar, () => true),
              's',
            ).rolled;
            if (!passage) continue;
            const { layers } = keepRolled(
              { ...facts(sofar, -1, { placements, mode: 'merge', laps: 'build up' }), passage },
              before,
              cut / 1000,
            );
            for (const { layer } of layers)
              kept.push(...readLayer(layer, layer.header.placement).notes.map((n) => n.key));
            now = { ...now, takings: [...now.takings, ...taking(`keep ${cut}`, passage.events)] };
            before = passage.events.at(-1)!.place!.at;
          }
          expect([...kept].sort()).toEqual(notes.map((_, i) => 30 + i).sort());
        },
      ),
    );
  });

  it('is refused where a take has the same playing again', () => {
    const of = bufferOf(
      [1, 3, 5].map((at, i) => event(i + 1, at * 1000, 60 + i, true, at)),
      { rolls: new Map([['r', roll()]]) },
    );
    const before = keepRolled(facts(of), -Infinity, 5.5);
    let n = 0;
    const later = keepRolled({ ...facts(of), newId: () => `later ${(n += 1)}` }, -Infinity, 5.5);
    const { document } = change(song, { type: 'keep', results: before.results, at: '' });
    const gaveBack = before.layers.map((l) => l.layer.header.id);
    const again = { type: 'keep' as const, results: later.results, at: '' };
    expect(() => change(document, { ...again, gaveBack })).toThrow('in a take again');
    expect(change(document, { ...again, gaveBack: ['another'] }).document.parts[0]!.takes).toHaveLength(2);
    // Undone, it can be kept.
    expect(change(song, { ...again, gaveBack }).document.parts[0]!.takes).toHaveLength(1);
  });

  it('is one change, and comes back whole', () => {
    const of = bufferOf(
      [1, 3, 5].map((at, i) => event(i + 1, at * 1000, 60 + i, true, at)),
      { rolls: new Map([['r', roll({ loop: { from: 0, to: 2 } })]]) },
    );
    const { results } = keepRolled(facts(of), -Infinity, 5.5);
    const made = change(song, { type: 'keep', results, at: '' });
    expect(made.document.parts[0]!.takes).toHaveLength(3);
    expect(made.inverse.length).toBeGreaterThan(0);
  });
});
