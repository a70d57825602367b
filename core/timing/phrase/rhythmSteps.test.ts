import { describe, expect, it } from 'vitest';
import { meterMap } from '../../time/meter';
import { tempoMap } from '../../time/tempo';
import { latticeOf } from '../lattice';
import { stepAt, stepCosts, stepsTable } from './rhythmSteps';
import { useOf } from './lineUse';

const clock = { tempo: tempoMap([{ tick: 0, bpm: 120 }]), meter: meterMap([{ bar: 1, beats: 4, unit: 4 }]) };
const lattice = latticeOf(['16 straight', '8 triplet'], clock, { from: 0, to: 8 * 3840 }, { percent: 50, of: 16 });
const lineAt = (tick: number): number => lattice.tick.indexOf(tick);

describe('steps of a rhythm', () => {
  it('are cheap where they are taken, dear where one place never goes on to the other', () => {
    const [struck, taken] = [new Float64Array(lattice.size), stepsTable(lattice)];
    // Beats of three and of four in turn.
    const played = Array.from({ length: 32 }, (_, beat) =>
      (beat % 2 ? [0, 320, 640] : [0, 240, 480, 720]).map((at) => lineAt(beat * 960 + at)),
    ).flat();
    for (const k of played) struck[k] = 1;
    played.slice(1).forEach((k, i) => (taken[stepAt(lattice, played[i]!, k)]! += 1));
    const costs = stepCosts(lattice, taken, struck, useOf(lattice, struck));
    const cost = (from: number, to: number): number => costs[stepAt(lattice, lineAt(from), lineAt(to))]!;
    expect(cost(320, 640)).toBeLessThan(0);
    expect(cost(240, 480)).toBeLessThan(0);
    expect(cost(320, 480)).toBeGreaterThan(0);
    expect(cost(240, 640)).toBeGreaterThan(0);
  });

  it('have one number for the same two places in any beat, and none backwards or over more than a beat', () => {
    const at = (from: number, to: number): number => stepAt(lattice, lineAt(from), lineAt(to));
    expect(at(320, 640)).toBe(at(3840 + 960 + 320, 3840 + 960 + 640));
    expect(at(720, 960)).not.toBe(at(720, 1920 - 720));
    expect(at(640, 320)).toBe(-1);
    expect(at(0, 0)).toBe(-1);
    expect(at(0, 1920)).toBe(-1);
  });
});
