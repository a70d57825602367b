import { describe, expect, it } from 'vitest';
import { howFarWords, leftWords } from './howFar';

describe('how far some work is', () => {
  it('is its share, and how long it still takes once that is known', () => {
    expect(howFarWords(0.439, 200)).toBe('43%');
    expect(howFarWords(0.01, 5000)).toBe('1%');
    expect(howFarWords(0.25, 4000)).toBe('25%, 12 s left');
    expect(howFarWords(0.1, 30_000)).toBe('10%, 5 min left');
    expect(howFarWords(1, 30_000)).toBe('100%');
  });
  it('never says that nothing is left', () => {
    expect(leftWords(0.2)).toBe('1 s left');
    expect(leftWords(59)).toBe('59 s left');
    expect(leftWords(60)).toBe('1 min left');
  });
});
