import { createPinia, setActivePinia } from 'pinia';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import type { KeyboardSettings } from '~~/core/performance/keyboard';
import { TWICE } from '~~/core/performance/learned';
import { handPort } from '~~/engine/keyboards/hand';
import type { MidiPorts } from '~~/engine/keyboards/midi';
import type { KeyPort } from '~~/engine/keyboards/port';
import { useKeyboards } from './keyboards';

const known = vi.hoisted(() => ({
  found: (_: unknown): void => {},
  remembered: {} as Record<string, unknown>,
  said: [] as string[],
  asked: [] as unknown[],
  answer: (): Promise<unknown> => Promise.resolve({}),
}));
vi.mock('~~/engine/keyboards/midi', () => ({
  ABSENCE_WORDS: {},
  watchMidi: (found: (ports: unknown) => void) => {
    known.found = found;
    return Promise.resolve();
  },
}));
vi.mock('~/notices/notices', () => ({ useNotices: () => ({ say: (words: string) => known.said.push(words) }) }));
vi.mock('~/notices/remembered', () => ({ askRemembered: () => Promise.resolve(known.remembered) }));
vi.mock('~/api/inTurn', () => ({
  askInTurn: (...given: unknown[]) => {
    known.asked.push(given);
    return known.answer();
  },
}));

/** Keyboard that plugs in at the browser. */
function stage(id: string) {
  const hand = handPort(id, 'Stage', 'screen');
  return { ...hand, kind: 'midi' as const };
}
const ports = (...all: KeyPort[]): MidiPorts => ({ ports: all, outputs: [], absence: null });

/** Keyboards with everything that they send on, in short words: what sounds, what is recorded, what is asked for. */
async function started(settings: Partial<KeyboardSettings> = {}, id = 'a') {
  known.remembered = { [id]: { ...useKeyboards().settingsOf(id), ...settings } };
  const keyboards = useKeyboards();
  const out = { sounded: [] as string[], kept: [] as string[], asked: [] as string[] };
  const words = (port: string, message: object, stamp: number) => {
    const { type, key, value } = message as { type: string; key?: number; value?: number };
    return `${port} ${type} ${key ?? value} @${Math.round(stamp)}`;
  };
  await keyboards.start(() => () => {}, {
    sounded: (...given) => out.sounded.push(words(...given)),
    kept: (...given) => out.kept.push(words(...given)),
    learned: (action) => out.asked.push(action),
  });
  const keyboard = stage(id);
  known.found(ports(keyboard));
  return { keyboards, keyboard, out };
}

beforeEach(() => {
  setActivePinia(createPinia());
  Object.assign(known, { said: [], asked: [], remembered: {}, answer: () => Promise.resolve({}) });
});

describe('a keyboard', () => {
  it('sounds and is recorded through its remembered settings, with its own time', async () => {
    const { keyboards, keyboard, out } = await started({ transpose: 12 });
    keyboard.down(60, 90, 100);
    expect([...keyboards.held]).toEqual([72]);
    keyboard.up(60, 180);
    expect(out.kept).toEqual(['a noteOn 72 @100', 'a noteOff 72 @180']);
    expect(out.sounded).toEqual(out.kept);
    expect([...keyboards.held]).toEqual([]);
  });

  it('that goes away ends what it held, says so, and is there again when it comes back', async () => {
    const { keyboards, keyboard, out } = await started();
    keyboard.down(60, 90, 100);
    keyboard.pedal(true, 110);
    known.found(ports());
    expect(out.kept.slice(2).map((words) => words.replace(/ @.*/, ''))).toEqual(['a noteOff 60', 'a control 0']);
    expect([[...keyboards.held], keyboards.pedal]).toEqual([[], false]);
    expect(known.said).toEqual([expect.stringContaining('Stage went away')]);
    known.found(ports(keyboard));
    keyboard.down(62, 90, 300);
    expect(out.kept.at(-1)).toBe('a noteOn 62 @300');
  });

  it('that is switched off is heard of and not heard', async () => {
    const { keyboards, keyboard, out } = await started();
    keyboard.down(60, 90, 100);
    void keyboards.change('a', { on: false });
    expect(out.kept.at(1)).toMatch(/^a noteOff 60/);
    const stop = keyboards.hearOff();
    keyboard.down(64, 90, 400);
    expect([out.kept.some((words) => words.includes('64')), keyboards.offAt.get('a')]).toEqual([false, 400]);
    stop();
    keyboard.down(65, 90, 500);
    expect(keyboards.offAt.get('a')).toBe(400);
  });

  it('counts what its settings leave out, and says the last until something gets through', async () => {
    const { keyboards, keyboard, out } = await started({ leftOut: { kinds: ['sustain'], controllers: [] } });
    keyboard.pedal(true, 100);
    keyboard.pedal(false, 200);
    expect(out.kept).toEqual([]);
    expect([...keyboards.leftOut]).toEqual([['a', { sustain: 2 }]]);
    expect(keyboards.lastLeftOut?.words).toBe('the sustain pedal');
    keyboard.down(60, 90, 300);
    expect(keyboards.lastLeftOut).toBeNull();
    expect(keyboards.leavesOut('a')).toEqual(['the sustain pedal']);
  });

  it('whose settings cannot be stored has them here, and says that they are not remembered', async () => {
    const { keyboards, keyboard, out } = await started();
    known.answer = () => Promise.reject(new Error('away'));
    await keyboards.change('a', { transpose: -12 });
    keyboard.down(60, 90, 100);
    expect(out.kept).toEqual(['a noteOn 48 @100']);
    expect(known.said).toEqual([expect.stringContaining('is not remembered')]);
  });
});

describe('taught keys', () => {
  const trigger = (number: number) => ({ kind: 'note' as const, number });

  it('ask for their action and are neither sounded nor recorded', async () => {
    const { keyboard, out } = await started({
      learned: [{ action: 'record', needs: 'press', triggers: [trigger(21)] }],
    });
    keyboard.down(21, 90, 100);
    keyboard.up(21, 150);
    keyboard.down(60, 90, 200);
    expect(out.asked).toEqual(['record']);
    expect([out.sounded, out.kept]).toEqual([['a noteOn 60 @200'], ['a noteOn 60 @200']]);
  });

  it('of a double press sound at once, and are recorded at their own time when the second does not come', async () => {
    const { keyboards, keyboard, out } = await started({
      learned: [{ action: 'stop', needs: 'double', triggers: [trigger(60)] }],
    });
    keyboard.down(60, 90, 100);
    keyboard.up(60, 150);
    expect([out.sounded.length, out.kept]).toEqual([2, []]);
    keyboards.letGo(100 + TWICE + 1);
    expect([out.kept, out.asked]).toEqual([['a noteOn 60 @100', 'a noteOff 60 @150'], []]);
    keyboard.down(60, 90, 1000);
    keyboard.up(60, 1040);
    keyboard.down(60, 90, 1100);
    expect([out.kept.length, out.asked]).toEqual([2, ['stop']]);
  });

  it('are heard by whoever teaches them, and by nothing else meanwhile', async () => {
    const { keyboards, keyboard, out } = await started();
    const heard: string[] = [];
    keyboards.learner = (port, message) => heard.push(`${port} ${message.type}`);
    keyboard.down(60, 90, 100);
    expect([heard, out.kept, out.sounded]).toEqual([['a noteOn'], [], []]);
  });
});
