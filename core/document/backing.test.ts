import { expect, it } from 'vitest';
import { newBacking } from './backing';

it('a backing keeps its pitch where it has none to move: drums and clicks, by their name or by the file', () => {
  const named = (name: string, midi?: { track: number; program: number; drums: boolean }) =>
    newBacking({ id: 'b', name, audio: 'a'.repeat(64), length: 1, ...(midi ? { midi } : {}) }).keepsPitch;
  for (const name of ['Click', 'click track 120', 'Drums', 'drum_kit', 'Drums and percussion', 'CLICK 2'])
    expect(named(name), name).toBe(true);
  for (const name of ['Live band, no click', 'Mix', 'Beatrice', 'Clicker', 'Steel drums and bass', 'Band (with click)'])
    expect(named(name), name).toBe(false);
  expect(named('Track 10', { track: 9, program: 0, drums: true })).toBe(true);
  expect(named('Drums', { track: 1, program: 3, drums: false })).toBe(false);
});
