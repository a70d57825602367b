import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import type { Join } from '../document/take';
import { valuesBefore, laneOf, type ControlEvent } from '../performance/controls';
import { eventsFromReading, SILENCE, type Note, type Reading } from '../performance/notes';
import { header } from '../testing/arbitraries';
import { HELD, type JoinChoice } from '../takes/join';
import { pick, readComp, withLanes, type Pick } from '../takes/line';
import { readTake } from '../takes/take';
import { meterMap } from '../time/meter';
import { secondsAt, tempoMap } from '../time/tempo';
import { cleanPlace, findingWords, joinsOf, safeJoins } from './joins';
import { joinsWords } from './sentence';

const BAR = 3840;
const END = 8 * BAR;
const meter = meterMap([{ bar: 1, beats: 4, unit: 4 }]);
const tempo = tempoMap([{ tick: 0, bpm: 120 }]);

const note = (id: string, key: number, start: number, end: number): Note => ({
  id,
  key,
  velocity: 80,
  release: 64,
  start,
  end,
});
const pedal = (at: number, value: number): ControlEvent => ({
  at,
  message: { type: 'control', controller: 64, value },
});

/** Three takes of one part: much the same notes, each a little off, some held long, with pedal. */
const worlds = fc
  .record({
    written: fc.array(
      fc.record({
        beat: fc.integer({ min: 0, max: 63 }),
        key: fc.integer({ min: 58, max: 63 }),
        length: fc.constantFrom(200, 440, 900, 1900, 4000),
      }),
      { minLength: 4, maxLength: 40 },
    ),
    off: fc.array(fc.integer({ min: -200, max: 200 }), { minLength: 120, maxLength: 120 }),
    pedals: fc.array(fc.tuple(fc.constantFrom('a', 'b', 'c'), fc.integer({ min: 0, max: END - 2000 })), {
      maxLength: 8,
    }),
    picks: fc.array(
      fc.tuple(fc.constantFrom('a', 'b', 'c'), fc.integer({ min: 0, max: 15 }), fc.integer({ min: 1, max: 8 })),
      { minLength: 1, maxLength: 6 },
    ),
    chosen: fc.tuple(fc.constantFrom('a', 'b', 'c'), fc.integer({ min: 0, max: 15 }), fc.integer({ min: 1, max: 8 })),
  })
  .map(({ written, off, pedals, picks, chosen }) => {
    const played = written
      .filter((w, i) => !written.slice(0, i).some((o) => o.key === w.key && Math.abs(o.beat - w.beat) < 3))
      .sort((a, b) => a.beat - b.beat || a.key - b.key)
      // A key is let go before it is struck again.
      .map((w, i, all) => {
        const next = all.slice(i + 1).find((o) => o.key === w.key);
        return { ...w, length: Math.min(w.length, next ? (next.beat - w.beat) * 480 - 500 : w.length) };
      });
    const takes = new Map<string, Reading>(
      ['a', 'b', 'c'].map((take) => {
        const notes = played
          .map(({ beat, key, length }, i) => {
            const start = Math.max(0, beat * 480 + (i % 3 === 0 ? off[(take.charCodeAt(0) - 97) * 40 + i]! : 0));
            return note(`${take}:${i}`, key, start, Math.min(END, start + length));
          })
          .sort((x, y) => x.start - y.start || x.key - y.key);
        const controls = pedals
          .filter(([of]) => of === take)
          .flatMap(([, at]) => [pedal(at, 127), pedal(at + 1500, 0)])
          .sort((x, y) => x.at - y.at);
        return [take, { notes, controls }];
      }),
    );
    const toPick = ([takeId, half, length]: readonly [string, number, number]): Pick => ({
      from: half * 1920,
      to: Math.min(END, (half + length) * 1920),
      takeId,
    });
    const comp = picks.map(toPick).reduce<Pick[]>(pick, []);
    return { takes, comp, chosen: toPick(chosen) };
  });
type World = typeof worlds extends fc.Arbitrary<infer T> ? T : never;

const readOf =
  ({ takes }: World) =>
  (id: string): Reading =>
    takes.get(id) ?? SILENCE;
const lineOf = (world: World, comp: readonly Pick[], joins: readonly Join[]): Reading =>
  readComp(comp, readOf(world), undefined, (before, after) =>
    joins.find((j) => j.at === before.to && j.before === before.takeId && j.after === after.takeId),
  );
const valuesAt = (controls: readonly ControlEvent[], tick: number) =>
  Object.fromEntries([...valuesBefore(controls, tick)].map(([lane, m]) => [lane, m.value]).filter(([, v]) => v !== 0));
/** Notes this near to a place can belong to either side of it. */
const NEAR = 240;

describe('a pick', () => {
  it('changes nothing outside its range, and every join has its safe mends', () => {
    fc.assert(
      fc.property(worlds, (world) => {
        const { comp, chosen } = world;
        const before = lineOf(world, comp, safeJoins(comp, [], readOf(world)));
        const known = safeJoins(comp, [], readOf(world));
        const next = pick(comp, chosen);
        const after = lineOf(world, next, [...known, ...safeJoins(next, known, readOf(world))]);
        const outside = ({ start, end }: Note) => end <= chosen.from - NEAR || start >= chosen.to + NEAR;
        const told = (r: Reading) =>
          r.notes
            .filter(outside)
            .map((n) => `${n.id} ${n.start}`)
            .sort();
        // What began before the range and rang into it ends where it begins.
        const ending = (r: Reading) => r.notes.filter((n) => n.end <= chosen.from - NEAR).map((n) => n.id);
        expect(told(after).filter((n) => told(before).includes(n))).toEqual(told(before));
        expect(ending(after)).toEqual(expect.arrayContaining(ending(before)));
        for (const tick of [0, chosen.from - 1, chosen.to + 1, END - 1])
          if (tick < chosen.from || tick > chosen.to)
            expect(valuesAt(after.controls, tick)).toEqual(valuesAt(before.controls, tick));
      }),
    );
  });

  it('sounds each note once: none twice at a join, none lost that its take has in its range', () => {
    fc.assert(
      fc.property(worlds, (world) => {
        const { comp } = world;
        const joins = safeJoins(comp, [], readOf(world));
        const { notes } = lineOf(world, comp, joins);
        expect(new Set(notes.map((n) => n.id)).size).toBe(notes.length);
        const struck = notes.map((n) => ({ ...n, written: n.id.split(':')[1] }));
        // Notes of one key a sixteenth apart are two notes, whatever was written.
        const isSame = (n: (typeof struck)[number], m: typeof n) =>
          m !== n && m.written === n.written && Math.abs(m.start - n.start) < NEAR;
        for (const j of joins.map((x) => x.at)) {
          const near = struck.filter((n) => Math.abs(n.start - j) < NEAR);
          const twice = near.filter((n) => near.some((m) => isSame(n, m)));
          expect(twice).toEqual([]);
        }
        const ids = new Set(notes.map((n) => n.id));
        for (const { from, to, takeId } of comp)
          for (const n of world.takes.get(takeId)!.notes)
            if (n.start >= from + NEAR && n.start < to - NEAR) expect(ids.has(n.id)).toBe(true);
      }),
    );
  });

  it('leaves every controller after a join where the take that follows has it, and all at rest at the end', () => {
    const choices = fc.record({
      held: fc.constantFrom(...HELD),
      lift: fc.boolean(),
      drop: fc.constant<string[]>([]),
      keep: fc.constant<string[]>([]),
    });
    fc.assert(
      fc.property(worlds, choices, (world, choice: JoinChoice) => {
        const { comp } = world;
        const line = readComp(comp, readOf(world), undefined, () => choice);
        comp.forEach(({ from, to, takeId }, i) => {
          const take = world.takes.get(takeId)!;
          expect(valuesAt(line.controls, from + 0.5)).toEqual(valuesAt(take.controls, from + 0.5));
          if (comp[i + 1]?.from !== to) expect(valuesAt(line.controls, to + 0.5)).toEqual({});
        });
        for (const n of line.notes) expect(n.end).toBeGreaterThanOrEqual(n.start);
      }),
    );
  });

  it('of controllers alone leaves the notes and everything outside it as it is', () => {
    fc.assert(
      fc.property(worlds, (world) => {
        const { comp, chosen } = world;
        const line = lineOf(world, comp, []);
        const over = withLanes(line, [{ ...chosen, lane: null }], readOf(world));
        expect(over.notes).toBe(line.notes);
        for (const tick of [0, chosen.from - 1, chosen.to + 1, END])
          if (tick < chosen.from || tick > chosen.to)
            expect(valuesAt(over.controls, tick)).toEqual(valuesAt(line.controls, tick));
        for (const tick of [chosen.from + 1, chosen.to - 1])
          expect(valuesAt(over.controls, tick)).toEqual(valuesAt(readOf(world)(chosen.takeId).controls, tick));
        const same = withLanes(line, [{ ...chosen, lane: 'bend' }], readOf(world));
        expect(same.controls.filter((c) => laneOf(c.message) !== 'bend')).toEqual(line.controls);
      }),
    );
  });

  it('made into one take reads, note for note, as the comp did', () => {
    fc.assert(
      fc.property(worlds, (world) => {
        const line = lineOf(world, world.comp, safeJoins(world.comp, [], readOf(world)));
        const events = eventsFromReading(line).map(({ at, message }) => ({ at: secondsAt(tempo, at), message }));
        const range = { from: 0, to: END };
        const layer = { header: header({ early: 0 }), closing: { range, clears: [], rings: END * 2 }, events };
        const take = readTake([layer], { policy: 'heard', nudge: 0 });
        const told = ({ notes }: Reading) =>
          notes.map((n) => [n.key, Math.round(n.start), Math.round(n.end), n.velocity].join(' ')).sort();
        const heard = line.notes.map((n) => ({ ...n, end: Math.max(n.end, n.start + 1) }));
        expect(told(take)).toEqual(told({ ...line, notes: heard }));
      }),
    );
  });
});

describe('a join', () => {
  const held = { notes: [note('a:0', 60, 0, 2500), note('a:1', 60, 3300, 6000)], controls: [] };
  const alsoHeld = { notes: [note('b:0', 60, 3310, 7000)], controls: [] };
  const free = { notes: [note('b:0', 62, BAR, 5000)], controls: [] };
  /** Findings at a join of two takes at bar 2. */
  const findingsAt = (before: Reading, after: Reading) => {
    const comp: Pick[] = [
      { from: 0, to: BAR, takeId: 'a' },
      { from: BAR, to: END, takeId: 'b' },
    ];
    return joinsOf({ comp, joins: [] }, (id) => (id === 'a' ? before : after), tempo, meter)[0]!.findings;
  };

  it('says what is held over it, and finds the nearest place where nothing is', () => {
    expect(findingsAt(held, free)).toEqual([{ kind: 'held', keys: [60], both: false }]);
    expect(cleanPlace(held, free, BAR, { from: 0, to: END }, meter)).toBe(2880);
    const [finding] = findingsAt(held, alsoHeld);
    expect(findingWords(finding!)).toBe('C4 held in both takes');
  });

  it('lets a note go on that both takes hold, without being asked', () => {
    const comp: Pick[] = [
      { from: 0, to: BAR, takeId: 'a' },
      { from: BAR, to: 2 * BAR, takeId: 'b' },
    ];
    const read = (id: string) => (id === 'a' ? held : alsoHeld);
    const joins = safeJoins(comp, [], read);
    expect(joins).toMatchObject([{ at: BAR, held: 'take over' }]);
    const line = readComp(comp, read, undefined, () => joins[0]);
    expect(line.notes.map((n) => [n.id, n.end])).toEqual([
      ['a:0', 2500],
      ['a:1', 7000],
    ]);
    const [state] = joinsOf({ comp, joins }, read, tempo, meter);
    expect(state).toMatchObject({ state: 'mended', open: [] });
    expect(joinsWords([state!])).toBe('its join is clean or mended');
  });

  it('wants a look where a note is cut, and stays good by ear until something near it changes', () => {
    const comp: Pick[] = [
      { from: 0, to: BAR, takeId: 'a' },
      { from: BAR, to: 2 * BAR, takeId: 'b' },
    ];
    const read = (of: Reading) => (id: string) => (id === 'a' ? of : free);
    const [open] = joinsOf({ comp, joins: [] }, read(held), tempo, meter);
    expect(open!.state).toBe('open');
    const { at, before, after, choice, fingerprint } = open!;
    const passed: Join = { at, before, after, ...choice, drop: [], keep: [], passed: fingerprint };
    const stateOf = (of: Reading) => joinsOf({ comp, joins: [passed] }, read(of), tempo, meter)[0]!.state;
    expect(stateOf(held)).toBe('passed');
    expect(stateOf({ ...held, notes: [note('a:0', 60, 0, 2000), ...held.notes.slice(1)] })).toBe('passed');
    expect(stateOf({ ...held, notes: [...held.notes, note('a:2', 65, 3500, 3700)] })).toBe('open');
  });

  it('can let ring, and can lift the pedal so that nothing does', () => {
    const down = { notes: held.notes, controls: [pedal(100, 127)] };
    const alsoDown = { notes: free.notes, controls: [pedal(50, 127)] };
    const comp: Pick[] = [
      { from: 0, to: BAR, takeId: 'a' },
      { from: BAR, to: 2 * BAR, takeId: 'b' },
    ];
    const read = (id: string) => (id === 'a' ? down : alsoDown);
    const choice: JoinChoice = { held: 'ring', lift: true, drop: [], keep: [] };
    const line = readComp(comp, read, undefined, () => choice);
    expect(line.notes.find((n) => n.id === 'a:1')!.end).toBe(6000);
    expect(line.controls.map((c) => [c.at, c.message.value])).toEqual([
      [100, 127],
      [BAR - 40, 0],
      [BAR, 127],
      [2 * BAR, 0],
    ]);
  });
});
