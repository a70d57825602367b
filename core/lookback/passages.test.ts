import fc from 'fast-check';
import { expect, it } from 'vitest';
import { event, bufferOf, roll } from '../testing/lookBackBuffers';
import type { BufferedEvent, LookBackBuffer, Taking } from './buffer';
import { Passages, passagesIn } from './passages';

const steps = fc.array(
  fc.record({
    keys: fc.array(fc.tuple(fc.integer({ min: 58, max: 62 }), fc.boolean()), { maxLength: 6 }),
    after: fc.constantFrom(50, 800, 7000, 70_000),
    rolls: fc.boolean(),
    listening: fc.constantFrom(1, 2),
    takes: fc.nat(5),
    undone: fc.constantFrom('none', 'a', 'b'),
    anew: fc.nat(9),
  }),
  { maxLength: 12 },
);

it('of a buffer that grows are those of the whole, whatever is recorded, undone or let go meanwhile', () => {
  fc.assert(
    fc.property(steps, (all) => {
      const passages = new Passages();
      const listenings = new Map([1, 2].map((id) => [id, { id, song: `song ${id}`, parts: [] }] as const));
      const shown: { readonly was: string; readonly now: readonly BufferedEvent[] }[] = [];
      let events: BufferedEvent[] = [];
      let takings: Taking[] = [];
      let [seq, wall] = [0, 0];
      for (const { keys, after, rolls, listening, takes, undone, anew } of all) {
        for (const [key, on] of keys) {
          seq += 1;
          wall += after;
          events.push(event(seq, wall, key, on, rolls ? wall / 1000 : null, { listening }));
        }
        if (takes === 0 && seq > 0)
          takings = [...takings, { by: seq % 2 ? 'a' : 'b', from: Math.max(1, seq - 3), to: seq }];
        if (anew === 0) events = events.slice(1);
        const buffer: LookBackBuffer = bufferOf(events, { takings, listenings, rolls: new Map([['r', roll()]]) });
        const isLive = (by: string): boolean => by !== undone;
        const found = passages.in(buffer, isLive);
        expect(found).toEqual(passagesIn(buffer, isLive));
        shown.push(...found.map((p) => ({ was: JSON.stringify(p.events), now: p.events })));
      }
      // What was shown once is as it was.
      for (const { was, now } of shown) expect(JSON.stringify(now)).toBe(was);
    }),
  );
});
