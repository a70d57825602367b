import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { messages } from '../testing/arbitraries';
import { COMMANDS_BY_KEY } from './commandKeys';
import type { KeyMessage } from './messages';
import {
  ACTIONS,
  letGo,
  learnedStep,
  TOGETHER,
  TWICE,
  NOTHING_LEARNED,
  type Action,
  type LearnedCommand,
  type Timed,
} from './learned';

const note = (key: number, on = true): KeyMessage =>
  on ? { type: 'noteOn', key, velocity: 80 } : { type: 'noteOff', key, velocity: 64 };
const pedal = (value: number, controller = 67): KeyMessage => ({ type: 'control', controller, value });

function play(learned: readonly LearnedCommand[], ...stream: (readonly [number, KeyMessage])[]) {
  let state = NOTHING_LEARNED;
  const through: Timed[] = [];
  const actions: Action[] = [];
  for (const [stamp, message] of stream) {
    const step = learnedStep(learned, state, { stamp, message });
    state = step.state;
    through.push(...step.through);
    actions.push(...step.actions);
  }
  const last = letGo(state, Infinity);
  return { through: [...through, ...last.through], actions, held: last.through };
}
const lowest: LearnedCommand = { action: 'go again', needs: 'press', triggers: [{ kind: 'note', number: 21 }] };
const soft: LearnedCommand = { action: 'record', needs: 'press', triggers: [{ kind: 'control', number: 67 }] };
const twice: LearnedCommand = { action: 'undo', needs: 'double', triggers: [{ kind: 'control', number: 64 }] };
const chord: LearnedCommand = {
  action: 'keep',
  needs: 'chord',
  triggers: [
    { kind: 'note', number: 22 },
    { kind: 'note', number: 23 },
  ],
};

describe('a taught key', () => {
  it('does what it was taught when it is pressed, and is never recorded', () => {
    expect(play([lowest], [0, note(21)], [90, note(60)], [100, note(21, false)], [120, note(60, false)])).toMatchObject(
      { actions: ['go again'], through: [{ stamp: 90 }, { stamp: 120 }] },
    );
  });

  it('may be a pedal, which acts once on its way down', () => {
    expect(
      play(
        [soft],
        [0, pedal(30)],
        [5, pedal(70)],
        [10, pedal(127)],
        [300, pedal(60)],
        [305, pedal(0)],
        [900, pedal(127)],
      ),
    ).toEqual({ actions: ['record', 'record'], through: [], held: [] });
  });

  it('that wants a double press lets a single one through, with its true time', () => {
    const single = play([twice], [0, pedal(127, 64)], [80, pedal(0, 64)], [TWICE + 100, pedal(127, 64)]);
    expect(single.actions).toEqual([]);
    expect(single.through.map((t) => t.stamp)).toEqual([0, 80, TWICE + 100]);
    const double = play(
      [twice],
      [0, pedal(127, 64)],
      [80, pedal(0, 64)],
      [200, pedal(127, 64)],
      [260, pedal(0, 64)],
      [800, pedal(127, 64)],
    );
    expect(double.actions).toEqual(['undo']);
    expect(double.through.map((t) => t.stamp)).toEqual([800]);
  });

  it('that wants a chord is not set off by playing its keys apart', () => {
    const apart = play(
      [chord],
      [0, note(22)],
      [TOGETHER + 20, note(23)],
      [200, note(22, false)],
      [210, note(23, false)],
    );
    expect(apart.actions).toEqual([]);
    expect(apart.through).toHaveLength(4);
    const together = play(
      [chord],
      [0, note(22)],
      [20, note(60)],
      [30, note(23)],
      [200, note(22, false)],
      [210, note(23, false)],
      [300, note(22)],
      [500, note(22, false)],
    );
    expect(together.actions).toEqual(['keep']);
    expect(together.through.map((t) => t.stamp)).toEqual([20, 300, 500]);
  });

  it('loses and invents nothing: what goes through and what was spent are all there is', () => {
    const stream = fc.array(fc.record({ gap: fc.integer({ min: 0, max: 400 }), message: messages }), { maxLength: 40 });
    const learned: LearnedCommand[] = [
      {
        ...chord,
        triggers: [
          { kind: 'note', number: 55 },
          { kind: 'note', number: 56 },
        ],
      },
      twice,
    ];
    fc.assert(
      fc.property(stream, (all) => {
        let now = 0;
        const timed = all.map(({ gap, message }) => [(now += gap), message] as const);
        const { through, actions } = play(learned, ...timed);
        const sent = timed.map(([stamp, message]) => JSON.stringify({ message, stamp }));
        const got = through.map(({ message, stamp }) => JSON.stringify({ message, stamp }));
        for (const one of got) expect(sent).toContain(one);
        expect(new Set(got).size).toBeLessThanOrEqual(new Set(sent).size);
        if (actions.length === 0) expect([...got].sort()).toEqual([...sent].sort());
      }),
    );
    // With nothing taught, everything goes through at once.
    fc.assert(
      fc.property(stream, (all) => {
        const timed = all.map(({ message }, i) => [i, message] as const);
        expect(play([], ...timed)).toEqual({
          through: timed.map(([stamp, message]) => ({ stamp, message })),
          actions: [],
          held: [],
        });
      }),
    );
  });
});

describe('the command key', () => {
  const commands: LearnedCommand = { action: 'commands', needs: 'press', triggers: [{ kind: 'note', number: 21 }] };
  const pedalCommands: LearnedCommand = { ...commands, triggers: [{ kind: 'control', number: 67 }] };
  const byAction = new Map([...COMMANDS_BY_KEY].map(([key, action]) => [action, key]));
  const record = byAction.get('record')!;

  it('turns the other keys into commands for as long as it is down, and nothing of it is recorded', () => {
    const played = play(
      [commands],
      [0, note(21)],
      [10, note(record)],
      [50, note(record, false)],
      [60, note(byAction.get('loop')!)],
      [70, note(21, false)],
      // Struck as a command, let go of after that.
      [80, note(byAction.get('loop')!, false)],
      [90, note(record)],
      [99, note(record, false)],
    );
    expect(played.actions).toEqual(['record', 'loop']);
    expect(played.through.map((t) => t.stamp)).toEqual([90, 99]);
  });

  it('lets keys ring that were down before it, and controllers through', () => {
    const played = play(
      [pedalCommands],
      [0, note(record)],
      [10, pedal(127)],
      [20, note(record, false)],
      [30, pedal(127, 64)],
      [40, pedal(0)],
    );
    expect(played.actions).toEqual([]);
    expect(played.through.map((t) => t.stamp)).toEqual([0, 20, 30]);
  });

  it('leaves a key its own that one press was taught to, and no other', () => {
    const own: LearnedCommand = { ...lowest, triggers: [{ kind: 'note', number: record }] };
    expect(play([commands, own], [0, note(21)], [10, note(record)]).actions).toEqual(['go again']);
    expect(play([commands, { ...own, needs: 'double' }], [0, note(21)], [10, note(record)])).toMatchObject({
      ...{ actions: ['record'], through: [] },
    });
  });

  it('has one key for each thing that can be asked for, within three octaves and a key', () => {
    expect([...COMMANDS_BY_KEY.values()].sort()).toEqual([...ACTIONS].sort());
    expect(Math.max(...COMMANDS_BY_KEY.keys()) - Math.min(...COMMANDS_BY_KEY.keys())).toBeLessThanOrEqual(36);
  });

  it('leaves no key hanging and none released that was not struck, however it is taught and played', () => {
    const needs = fc.constantFrom('press', 'double', 'chord');
    const presses = fc.array(fc.tuple(fc.integer({ min: 0, max: 250 }), fc.constantFrom(20, 21, record, 100)));
    fc.assert(
      fc.property(needs, needs, presses, (need, other, all) => {
        const triggers = [20, 21].map((number) => ({ kind: 'note', number }) as const);
        const learned: LearnedCommand[] = [
          { ...commands, needs: need, triggers: need === 'chord' ? triggers : triggers.slice(1) },
          { ...lowest, needs: other === 'chord' ? 'press' : other, triggers: [{ kind: 'note', number: record }] },
        ];
        const down = new Set<number>();
        let stamp = 0;
        const turn = (key: number) => {
          const played = !down.delete(key);
          if (played) down.add(key);
          return [stamp, note(key, played)] as const;
        };
        const stream = all.map(([gap, key]) => {
          stamp += gap;
          return turn(key);
        });
        const { through } = play(learned, ...stream, ...[...down].map(turn));
        const sounding = new Map<number, boolean>();
        for (const { message } of through.toSorted((a, b) => a.stamp - b.stamp)) {
          if (message.type !== 'noteOn' && message.type !== 'noteOff') continue;
          expect(sounding.get(message.key) ?? false).toBe(message.type === 'noteOff');
          sounding.set(message.key, message.type === 'noteOn');
        }
        expect([...sounding.values()]).not.toContain(true);
      }),
    );
  });
});
