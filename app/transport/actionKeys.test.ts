import { createPinia, setActivePinia } from 'pinia';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import { ref } from 'vue';
import { useActionKeys } from './actionKeys';

const player = vi.hoisted(() => ({ computerPlays: false }));
vi.mock('~/keyboards/keyboards', () => ({ useKeyboards: () => player }));
vi.mock('./presets', () => ({ RECENT_KEYS: ['a', 'd'] }));
vi.mock('@vueuse/core', () => ({ useLocalStorage: (_: string, initial: unknown) => ref(initial) }));

beforeEach(() => {
  setActivePinia(createPinia());
  player.computerPlays = false;
});

describe('the key of an action', () => {
  it('is the program’s until the player gives it another, and again once that is taken back', () => {
    const keys = useActionKeys();
    expect([keys.keyOf('record'), keys.wordsOf('undo pass'), keys.wordsOf('stop')]).toEqual(['r', 'Shift U', '']);
    expect(keys.give('record', 'q')).toEqual({ type: 'set', from: null });
    expect([keys.keyOf('record'), keys.actionOf.get('q'), keys.actionOf.get('r')]).toEqual(['q', 'record', undefined]);
    keys.reset();
    expect([keys.keyOf('record'), keys.isChanged]).toEqual(['r', false]);
  });

  it('is taken from the action that had it, which is said, and belongs to one alone', () => {
    const keys = useActionKeys();
    expect(keys.give('record', 'g')).toEqual({ type: 'set', from: 'go again' });
    expect([keys.keyOf('go again'), keys.actionOf.get('g')]).toEqual(['', 'record']);
    // Given once more what it has, nothing is lost.
    expect(keys.give('record', 'g')).toEqual({ type: 'set', from: null });
    expect(keys.keyOf('record')).toBe('g');
  });

  it('may be none', () => {
    const keys = useActionKeys();
    expect(keys.give('panic', '')).toEqual({ type: 'set', from: null });
    expect(keys.wordsOf('panic')).toBe('');
  });

  it.each(['4', 'shift+4', 'tab', 'escape', '?', 'b', 'm', 's', 'a', 'home'])('is never %s, which is said', (key) => {
    const keys = useActionKeys();
    expect(keys.give('record', key).type).toBe('refused');
    expect(keys.keyOf('record')).toBe('r');
  });

  it('wants Ctrl where letters are notes', () => {
    player.computerPlays = true;
    expect(useActionKeys().wordsOf('record')).toBe('Ctrl R');
  });
});
