import { describe, expect, it } from 'vitest';
import { madeTakes } from '../testing/takes';
import { meterMap } from '../time/meter';
import { tempoMap } from '../time/tempo';
import { alignTakes } from './slots';

const meter = meterMap([{ bar: 1, beats: 4, unit: 4 }]);

describe('notes of several takes', () => {
  it('are put together with what is meant for the same moment, slips or not', () => {
    const bpm = 104;
    const made = madeTakes({ takes: 8, bars: 24, bpm, looseness: 14, seed: 5, slips: 0.01 });
    const slots = alignTakes(made.takes, tempoMap([{ tick: 0, bpm }]), meter);
    let [right, all] = [0, 0];
    for (const { struck } of slots) {
      const meant = struck.map(({ note }) => made.meant.get(note.id));
      for (const one of meant) {
        all += 1;
        if (meant.filter((m) => m === one).length * 2 >= meant.length) right += 1;
      }
      expect(new Set(struck.map((s) => s.take)).size).toBe(struck.length);
    }
    expect(all).toBe(made.takes.reduce((n, t) => n + t.notes.length, 0));
    expect(right / all).toBeGreaterThan(0.98);
  });

  it('of two takes, one of which drags, still meet', () => {
    const [a] = madeTakes({ takes: 1, bars: 4, bpm: 120, looseness: 5, seed: 3, slips: 0 }).takes;
    const late = { ...a!, id: 'late', notes: a!.notes.map((n) => ({ ...n, start: n.start + 150 })) };
    const slots = alignTakes([a!, late], tempoMap([{ tick: 0, bpm: 120 }]), meter);
    expect(slots.filter((s) => s.struck.length === 2)).toHaveLength(a!.notes.length);
  });

  it('of no takes are none', () => {
    expect(alignTakes([], tempoMap([{ tick: 0, bpm: 120 }]), meter)).toEqual([]);
  });
});
