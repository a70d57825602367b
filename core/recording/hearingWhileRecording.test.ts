import { describe, expect, it } from 'vitest';
import { newPart } from '../document/part';
import type { Note, Reading } from '../performance/notes';
import { header } from '../testing/arbitraries';
import { clock, key, planOf, run } from '../testing/passes';
import type { PassPlan } from './state';
import { lineUnderPass, readingSoFar } from './hearingWhileRecording';

/** A pass over bar 2 at 120: 2 to 4 s, ticks 3840 to 7680. */
const part = { ...newPart({ id: 'piano', name: 'Piano' }, 0) };
const note = (start: number, number = 40): Note => ({
  id: `old ${start}`,
  key: number,
  velocity: 80,
  release: 64,
  start,
  end: start + 400,
});
const line: Reading = { notes: [note(0), note(3840), note(5760), note(7680)], controls: [] };
const layer = (over = {}) => header({ partId: 'piano', planned: { from: 3840, to: 7680 }, ...over });
const planFor = (over: Partial<PassPlan> = {}, layers = [layer()]): PassPlan => planOf({ layers, ...over });

/** The line from where the range begins, once the pass is at `now`. */
function heard(plan: PassPlan, played: readonly [number, number][], now: number, at = 2, overLine = false): number[] {
  const keys = played.flatMap(([from, to]) => [key(from), key(to, false)]).filter((k) => 'at' in k && k.at <= now);
  const { state } = run([{ type: 'record', plan }, clock(2), ...keys, clock(now)]);
  return lineUnderPass(state, plan, { ...part, overLine }, line, at, now).notes.map((n) => n.start);
}

describe('a line that is recorded over', () => {
  it('is silent in the bars of a new take or a replacement, and sounds around them', () => {
    expect(heard(planFor({ mode: 'new take' }), [], 2.1)).toEqual([0, 7680]);
    expect(heard(planFor({ mode: 'replace' }), [], 2.1)).toEqual([0, 7680]);
  });

  it('is all there in a merge, and where the part asks to hear what is there', () => {
    expect(heard(planFor({ mode: 'merge' }), [], 2.1)).toHaveLength(4);
    expect(heard(planFor({ mode: 'replace' }), [], 2.1, 2, true)).toHaveLength(4);
  });

  it('sounds until the first note where that is what replaces', () => {
    const plan = planFor({ mode: 'replace from my first note' });
    expect(heard(plan, [[2.5, 2.7]], 2.2)).toHaveLength(4);
    expect(heard(plan, [[2.5, 2.7]], 2.8)).toEqual([0, 3840, 7680]);
  });

  it('comes back a rest after the playing where only playing replaces', () => {
    const plan = planFor({ mode: 'replace while I play' }, [layer({ gap: 480 })]);
    expect(heard(plan, [[2, 2.2]], 2.1)).toEqual([0, 7680]);
    expect(heard(plan, [[2, 2.2]], 2.9)).toEqual([0, 5760, 7680]);
  });

  it('loses only the controller that is ridden', () => {
    const plan = planFor({ mode: 'replace' }, [layer({ ride: 'control 1' })]);
    const { state } = run([{ type: 'record', plan }, clock(2.1)]);
    const control = (at: number, controller: number) =>
      ({ at, message: { type: 'control', controller, value: 9 } }) as const;
    const controls = [control(100, 1), control(4000, 1), control(4000, 64)];
    const reading = lineUnderPass(state, plan, part, { notes: line.notes, controls }, 2, 2.1);
    expect(reading.notes).toHaveLength(4);
    expect(reading.controls).toEqual([controls[0], controls[2]]);
  });

  it('of another part is left alone', () => {
    const plan = planFor({ mode: 'replace' });
    const { state } = run([{ type: 'record', plan }, clock(2.1)]);
    expect(lineUnderPass(state, plan, { ...part, id: 'organ' }, line, 2, 2.1)).toBe(line);
  });

  it('is built on by the laps to come, with what has been played by now', () => {
    const laps = { laps: 'build up', lap: 0 } as const;
    const plan = planFor({ loop: { from: 3840, laps: 'build up' } }, [layer(laps)]);
    expect(heard(plan, [[2.5, 2.7]], 3.8, 2)).toHaveLength(4);
    expect(heard(plan, [[2.5, 2.7]], 3.8, 4).sort((a, b) => a - b)).toEqual([0, 3840, 4800, 5760, 7680]);
  });
});

describe('what a pass has so far', () => {
  it('has a note that is held end where the pass is', () => {
    const plan = planFor();
    const { state } = run([{ type: 'record', plan }, clock(2), key(2.5), clock(3)]);
    const [laps] = state.laps;
    const { notes } = readingSoFar(laps!, laps!.listening[0]!, 3);
    expect(notes.map((n) => [n.start, n.end])).toEqual([[4800, 5760]]);
  });
});
