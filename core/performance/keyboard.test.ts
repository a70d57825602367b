import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import {
  AT_REST,
  keyboardSchema,
  PLAIN_KEYBOARD,
  throughKeyboard,
  touched,
  type KeyboardSettings,
  type KeyboardState,
  type MessageKind,
  type Outcome,
} from './keyboard';
import { real } from '../testing/realNumbers';

/** A stream through a keyboard whose settings may change in the middle. */
function play(
  stream: readonly (readonly number[] | Partial<KeyboardSettings>)[],
  settings: KeyboardSettings = PLAIN_KEYBOARD,
): Outcome[] {
  let state = AT_REST;
  let now = settings;
  return stream.flatMap((item) => {
    if (!Array.isArray(item)) {
      now = { ...now, ...(item as Partial<KeyboardSettings>) };
      return [];
    }
    const step = throughKeyboard(now, state, item);
    state = step.state;
    return [step.outcome];
  });
}
function wordsOf(outcome: Outcome): string {
  switch (outcome.type) {
    case 'through':
      return `${outcome.message.type} ${'key' in outcome.message ? outcome.message.key : ''}`.trim();
    case 'left out':
      return `- ${outcome.why}`;
    case 'nothing':
      return outcome.broken ? 'broken' : 'nothing';
  }
}
const words = (outcomes: readonly Outcome[]): string[] => outcomes.map(wordsOf);
const without = (...kinds: MessageKind[]): Partial<KeyboardSettings> => ({ leftOut: { kinds, controllers: [] } });
const settingsOf = (over: Partial<KeyboardSettings>): KeyboardSettings => ({ ...PLAIN_KEYBOARD, ...over });

describe('a keyboard', () => {
  it('that nobody has set lets everything through as it comes', () => {
    expect(
      play([
        [0x93, 60, 90],
        [0xb3, 64, 127],
        [0xe3, 0, 64],
        [0x83, 60, 30],
      ]),
    ).toEqual([
      { type: 'through', message: { type: 'noteOn', key: 60, velocity: 90 } },
      { type: 'through', message: { type: 'control', controller: 64, value: 127 } },
      { type: 'through', message: { type: 'bend', value: 8192 } },
      { type: 'through', message: { type: 'noteOff', key: 60, velocity: 30 } },
    ]);
  });

  it('hears one channel when it is told to', () => {
    expect(
      words(
        play(
          [
            [0x90, 60, 90],
            [0x91, 62, 90],
          ],
          settingsOf({ channel: 2 }),
        ),
      ),
    ).toEqual(['- channel', 'noteOn 62']);
  });

  it('leaves out kinds and controllers, and says which', () => {
    const all = [
      [0x90, 60, 90],
      [0xb0, 64, 127],
      [0xb0, 66, 127],
      [0xb0, 1, 5],
      [0xe0, 0, 0],
      [0xd0, 9],
      [0xa0, 60, 9],
      [0xc0, 5],
      [0xf0, 1, 0xf7],
    ];
    expect(
      words(
        play(
          all,
          settingsOf(without('notes', 'sustain', 'pedals', 'controllers', 'bend', 'pressure', 'program', 'exclusive')),
        ),
      ),
    ).toEqual([
      '- notes',
      '- sustain',
      '- pedals',
      '- controllers',
      '- bend',
      '- pressure',
      '- pressure',
      '- program',
      '- exclusive',
    ]);
    expect(
      words(
        play(
          [
            [0xb0, 1, 5],
            [0xb0, 11, 5],
          ],
          settingsOf({ leftOut: { kinds: [], controllers: [11] } }),
        ),
      ),
    ).toEqual(['control', '- controllers']);
    const [, off] = play(
      [
        [0x90, 60, 90],
        [0x80, 60, 12],
      ],
      settingsOf(without('release')),
    );
    expect(off).toEqual({ type: 'through', message: { type: 'noteOff', key: 60, velocity: 64 } });
  });

  it('hears its own keys only, moved by so many semitones', () => {
    expect(
      words(
        play(
          [
            [0x90, 47, 9],
            [0x90, 48, 9],
            [0x90, 72, 9],
            [0x90, 73, 9],
          ],
          settingsOf({ range: { low: 48, high: 72 }, transpose: -12 }),
        ),
      ),
    ).toEqual(['- range', 'noteOn 36', 'noteOn 60', '- range']);
    expect(words(play([[0x90, 120, 9]], settingsOf({ transpose: 12 })))).toEqual(['- range']);
  });

  it('releases what it struck, whatever is set in between', () => {
    fc.assert(
      fc.property(
        fc.array(
          fc.oneof(
            fc
              .tuple(fc.constantFrom(0x90, 0x80), fc.integer({ min: 40, max: 80 }), fc.integer({ min: 0, max: 127 }))
              .map((m) => [...m]),
            fc.record({
              transpose: fc.integer({ min: -24, max: 24 }),
              channel: fc.constantFrom(null, 1, 2),
              range: fc.constant({ low: 50, high: 70 }),
            }),
            fc.constantFrom(without('notes'), without()),
          ),
          { maxLength: 60 },
        ),
        (stream) => {
          const closing = Array.from({ length: 128 }, (_, k) => [0x80, k, 64]);
          const down = new Map<number, number>();
          for (const o of play([...stream, ...closing])) {
            if (o.type !== 'through') continue;
            if (o.message.type === 'noteOn') down.set(o.message.key, (down.get(o.message.key) ?? 0) + 1);
            if (o.message.type === 'noteOff') down.set(o.message.key, (down.get(o.message.key) ?? 0) - 1);
          }
          // A key struck again without a release counts once: no keyboard does that, and the synthesizer releases both.
          for (const left of down.values()) expect(left).toBeGreaterThanOrEqual(0);
          const struckTwice = new Set<number>();
          const open = new Set<number>();
          for (const item of stream) {
            if (!Array.isArray(item)) continue;
            const on = item[0] === 0x90 && item[2]! > 0;
            if (on && open.has(item[1]!)) struckTwice.add(item[1]!);
            if (on) open.add(item[1]!);
            else open.delete(item[1]!);
          }
          if (struckTwice.size === 0) for (const left of down.values()) expect(left).toBe(0);
        },
      ),
    );
  });

  it('takes running status, real-time bytes and broken messages in its stride', () => {
    expect(words(play([[0x90, 60, 90], [62, 90], [0xfe], [0xf8], [64, 90], [0x90], [], [60]]))).toEqual([
      'noteOn 60',
      'noteOn 62',
      'nothing',
      'nothing',
      'noteOn 64',
      'broken',
      'broken',
      'broken',
    ]);
    expect(words(play([[60, 90]]))).toEqual(['broken']);
    fc.assert(
      fc.property(
        fc.array(
          fc.uint8Array({ maxLength: 5 }).map((b) => [...b]),
          { maxLength: 30 },
        ),
        (stream) => {
          play(stream);
        },
      ),
    );
  });
});

describe('touch', () => {
  it('rises with the note under every curve, between its least and its most', () => {
    fc.assert(
      fc.property(
        real(-1, 1),
        fc.integer({ min: 1, max: 60 }),
        fc.integer({ min: 61, max: 127 }),
        (shape, low, high) => {
          const all = Array.from({ length: 127 }, (_, i) => touched(i + 1, { shape, low, high }));
          all.slice(1).forEach((v, i) => expect(v).toBeGreaterThanOrEqual(all[i]!));
          expect([all[0], all[126]]).toEqual([low, high]);
          expect(Math.min(...all)).toBeGreaterThanOrEqual(low);
        },
      ),
    );
    // As it comes is just that.
    for (let v = 1; v <= 127; v += 1) expect(touched(v, PLAIN_KEYBOARD.curve)).toBe(v);
    expect(touched(40, { shape: 0.6, low: 1, high: 127 })).toBeGreaterThan(60);
  });
});

it('what was stored of a keyboard before it had settings is still read', () => {
  expect(keyboardSchema.parse({ on: true })).toEqual({ ...PLAIN_KEYBOARD, on: true });
});

it('what a keyboard had learned is still read under its former name', () => {
  const learned = [{ action: 'record', needs: 'press', triggers: [{ kind: 'control', number: 67 }] }] as const;
  expect(keyboardSchema.parse({ taught: learned })).toEqual({ ...PLAIN_KEYBOARD, learned });
});

it('a keyboard that sends every key on two channels has each note ended by its own release, filtered or not', () => {
  const through = (settings: KeyboardSettings, sent: readonly number[][]) =>
    sent.reduce<{ state: KeyboardState; out: string[] }>(
      ({ state, out }, data) => {
        const step = throughKeyboard(settings, state, data);
        return { state: step.state, out: step.outcome.type === 'through' ? [...out, step.outcome.message.type] : out };
      },
      { state: AT_REST, out: [] },
    );
  const both = [
    [0x90, 60, 90],
    [0x91, 60, 90],
    [0x80, 60, 64],
    [0x81, 60, 64],
  ];
  expect(through(PLAIN_KEYBOARD, both).out).toEqual(['noteOn', 'noteOn', 'noteOff', 'noteOff']);
  expect(through(PLAIN_KEYBOARD, both).state.down.size).toBe(0);
  // A release on the other channel ends nothing.
  expect(
    through({ ...PLAIN_KEYBOARD, channel: 1 }, [
      [0x90, 60, 90],
      [0x81, 60, 64],
    ]).out,
  ).toEqual(['noteOn']);
});
