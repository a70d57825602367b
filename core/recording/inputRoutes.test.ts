import { describe, expect, it } from 'vitest';
import { newBrief, type Brief } from '../document/brief';
import { newSong } from '../document/document';
import { newPart } from '../document/part';
import { admits, listenersOf, withoutListener } from './inputRoutes';

const press = (key: number) => ({ type: 'noteOn', key, velocity: 80 }) as const;
const parts = ['piano', 'organ', 'pad'].map((id, i) => newPart({ id, name: id }, i));
const brief = {
  ...newBrief('piano'),
  keyboard: 'upper',
  also: [
    { part: 'organ', keyboard: null, low: 0, high: 59 },
    { part: 'pad', keyboard: 'lower', low: 60, high: 127 },
  ],
};
const listening = (b: Brief) =>
  listenersOf({ ...newSong('x', 'p'), parts, brief: b }).map(({ part, route }) => [part.id, route.keyboard, route.low]);

describe('an input route', () => {
  it('admits its keyboard and its keys, both ends included, and pedals whatever the keys', () => {
    const route = { keyboard: 'upper', low: 40, high: 60 };
    expect([39, 40, 60, 61].map((key) => admits(route, 'upper', press(key)))).toEqual([false, true, true, false]);
    expect(admits(route, 'lower', press(50))).toBe(false);
    expect(admits(route, 'upper', { type: 'control', controller: 64, value: 127 })).toBe(true);
  });
});

describe('a part that no longer hears', () => {
  it('is taken out of those that listen beside the brief’s own', () => {
    expect(listening({ ...brief, ...withoutListener(brief, 'organ') })).toEqual([
      ['piano', 'upper', 0],
      ['pad', 'lower', 60],
    ]);
  });

  it('leaves its place to the next when it was the brief’s own, with that one’s keyboard and keys', () => {
    expect(listening({ ...brief, ...withoutListener(brief, 'piano') })).toEqual([
      ['organ', null, 0],
      ['pad', 'lower', 60],
    ]);
  });

  it('leaves none when there is no other', () => {
    const alone = { ...brief, also: [] };
    expect(listening({ ...alone, ...withoutListener(alone, 'piano') })).toEqual([]);
  });
});
