import { describe, expect, it } from 'vitest';
import { ACTIONS } from '~~/core/performance/learned';
import { ACTION_FACTS, keyWords } from './actions';

describe('what is asked for with one move', () => {
  it('has a name and a key of its own, none of them a station’s or one that is held', () => {
    const all = ACTIONS.map((action) => ACTION_FACTS[action]);
    const keys = all.flatMap(({ key }) => (key === undefined ? [] : [key]));
    expect(new Set(all.map((f) => f.name)).size).toBe(ACTIONS.length);
    expect(new Set(keys).size).toBe(keys.length);
    expect(keys.filter((key) => /^[1-6bm?]$/.test(key))).toEqual([]);
  });

  it.each([
    [' ', false, 'Space'],
    ['r', false, 'R'],
    ['r', true, 'Ctrl R'],
    ['shift+u', true, 'Ctrl Shift U'],
    ['shift+arrowright', true, 'Shift →'],
    ['+', false, '+'],
    [',', true, ','],
  ])('writes %j, with the computer’s keys playing: %j, as %s', (key, computerPlays, words) => {
    expect(keyWords(key, computerPlays)).toBe(words);
  });
});
