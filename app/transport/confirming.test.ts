import { createPinia, setActivePinia } from 'pinia';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import { newSong } from '~~/core/document/document';
import { ACTIONS, type Action } from '~~/core/performance/learned';

const world = vi.hoisted(() => ({
  confirms: 'sound',
  recording: false,
  document: null as unknown,
  acted: [] as string[],
  tones: 0,
}));
vi.mock('~/controls/preferences', () => ({ usePreferences: () => world }));
vi.mock('~/song/song', () => ({ useSong: () => world }));
vi.mock('./pass', () => ({ usePass: () => world }));
vi.mock('./performAction', () => ({
  useHands: () => ({ act: (action: string) => world.acted.push(action), latest: null }),
}));
vi.mock('~/sound/sound', () => {
  const context = { currentTime: 0, destination: {} };
  return { useSound: () => ({ engine: { context } }) };
});
const tone = { connect: () => {}, disconnect: () => {}, start: () => (world.tones += 1), stop: () => {} };
vi.stubGlobal('window', {});
vi.stubGlobal('OscillatorNode', function Oscillator() {
  return { ...tone };
});
vi.stubGlobal('GainNode', function Gain() {
  return { ...tone };
});
const { outcomeWords, useConfirming } = await import('./confirming');

const song = newSong('Causeway', 'piano');
beforeEach(() => {
  setActivePinia(createPinia());
  Object.assign(world, { confirms: 'sound', recording: false, document: song, acted: [], tones: 0 });
});

describe('a command from a key', () => {
  it('is done, and confirmed by a sound where that is wanted and no voice is there', () => {
    const confirming = useConfirming();
    confirming.act('loop');
    expect([world.acted, world.tones]).toEqual([['loop'], 2]);
    world.confirms = 'word';
    confirming.act('loop');
    expect([confirming.speaks, world.tones]).toEqual([false, 4]);
  });

  it.each([
    ['it is not wanted', { confirms: 'nothing' }],
    ['a pass records', { recording: true }],
    ['no song is open', { document: null }],
  ])('is done in silence where %s', (_, over) => {
    Object.assign(world, over);
    useConfirming().act('loop');
    expect([world.acted, world.tones]).toEqual([['loop'], 0]);
  });

  it('is none where the command key itself goes down', () => {
    useConfirming().act('commands');
    expect([world.acted, world.tones]).toEqual([[], 0]);
  });
});

describe('the words for a command', () => {
  const words = (action: Action, brief = {}, latest: { number: number; mark: string | null } | null = null) =>
    outcomeWords(action, { ...song, brief: { ...song.brief, ...brief } }, latest);

  it('say what is set by now', () => {
    expect(words('loop', { loop: true })).toBe('loop on');
    expect(words('lead-in', { leadIn: { count: 2, unit: 'bars' }, leadInOn: false })).toBe('lead-in off');
    expect(words('next mode', { mode: 'merge' })).toBe('merge');
    expect(words('next part')).toBe(song.parts[0]!.name);
    expect(words('mark good', {}, { number: 4, mark: 'good' })).toBe('take 4, good');
    expect(words('mark good')).toBe('no take yet');
  });

  it('are there for everything that can be asked for', () => {
    for (const action of ACTIONS) expect(words(action)).toMatch(/\S/);
  });
});
