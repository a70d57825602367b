import { describe, expect, it } from 'vitest';
import { anySolo, isAudible } from './audible';

const plain = { muted: false, solo: false };
const muted = { muted: true, solo: false };
const solo = { muted: false, solo: true };

describe('what sounds', () => {
  it('is everything but what is muted, as long as nothing is on solo', () => {
    const mix = { parts: [plain, muted], backings: [plain] };
    expect(anySolo(mix)).toBe(false);
    expect([plain, muted].map((thing) => isAudible(thing, mix))).toEqual([true, false]);
  });

  it('is only what is on solo, a part or a backing, also when that is muted', () => {
    const mix = { parts: [plain], backings: [solo] };
    const both = { muted: true, solo: true };
    expect(anySolo(mix)).toBe(true);
    expect([plain, muted, solo, both].map((thing) => isAudible(thing, mix))).toEqual([false, false, true, true]);
  });
});
