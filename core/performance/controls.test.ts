import { describe, expect, it } from 'vitest';
import { restore } from './controls';
import { type KeyMessage } from './messages';

describe('controllers', () => {
  const control = (controller: number, value: number): KeyMessage => ({ type: 'control', controller, value });
  it('go to rest when nothing asks for them: pedal up, bend to the middle, expression full', () => {
    const held = new Map([
      ['control 64', control(64, 127)],
      ['bend', { type: 'bend', value: 9000 }],
      ['control 11', control(11, 20)],
    ] as never);
    expect(restore(held as never, new Map(), 7).map((e) => [e.at, e.message])).toEqual([
      [7, control(64, 0)],
      [7, { type: 'bend', value: 8192 }],
      [7, control(11, 127)],
    ]);
  });

  it('are left alone when they hold what is wanted', () => {
    const held = new Map([['control 64', control(64, 127)]]) as never;
    expect(restore(held, held, 0)).toEqual([]);
    expect(restore(new Map(), new Map([['control 64', control(64, 0)]]) as never, 0)).toEqual([]);
  });
});
