import { describe, expect, it } from 'vitest';
import { chainOf, firstTrouble, LINKS, readySummary, type ChainFacts, type LinkId, type Mend } from './chain';

const good: ChainFacts = {
  absence: null,
  ports: ['Stage keyboard'],
  meant: [{ name: 'Stage keyboard', on: true }],
  onScreen: false,
  playedOff: null,
  last: { port: 'Stage keyboard', words: 'C4 at 80', ago: 0.2 },
  leftOut: null,
  song: true,
  parts: ['Piano'],
  partHeard: true,
  sound: 'ready',
  trouble: '',
  tuning: 0,
  level: -18,
  click: true,
  backings: { all: 2, heard: 1 },
};

describe('the chain from the keys to the ears', () => {
  it('says the tuning where it is not 440', () => {
    const sound = (tuning: number) => chainOf({ ...good, tuning }).find((l) => l.id === 'sound')!.says;
    expect(sound(0)).toBe('Loaded.');
    expect(sound(20)).toBe('Loaded, tuned to A 445.1 Hz, 20 cents sharp.');
  });

  it('is whole when every link is', () => {
    const chain = chainOf(good);
    expect(chain.map((l) => l.id)).toEqual([...LINKS]);
    expect(chain.every((l) => l.state === 'whole' && !l.mend)).toBe(true);
    expect(firstTrouble(chain)).toBeUndefined();
    expect(readySummary(chain)).toEqual({ good: true, text: 'All links good.' });
    expect(chain.at(-1)!.says).toBe('The click and one backing; one backing is muted.');
  });

  it.each<[LinkId, Partial<ChainFacts>, string, Mend]>([
    ['port', { ports: [] }, 'No keyboard is plugged in', 'look for keyboards'],
    ['port', { ports: [], absence: 'The browser was not allowed to use MIDI.' }, 'not allowed', 'look for keyboards'],
    ['on', { meant: [{ name: 'Stage keyboard', on: false }] }, 'Stage keyboard is switched off.', 'switch it on'],
    ['on', { playedOff: 'Stage keyboard' }, 'was played, and is switched off', 'switch it on'],
    ['messages', { last: null, leftOut: null, onScreen: true }, 'Hold down a key.', 'play a key'],
    [
      'through',
      { leftOut: { port: 'Stage keyboard', words: 'the sustain pedal' } },
      'the sustain pedal was left out',
      'let it through',
    ],
    ['part', { song: false }, 'No song is open', 'open a song'],
    ['part', { parts: [] }, 'No part is', 'let a part hear'],
    ['part', { partHeard: false }, 'muted', 'let it be heard'],
    [
      'sound',
      { sound: 'failed', trouble: 'The sounds could not be fetched.' },
      'could not be fetched',
      'load the sounds',
    ],
    ['audio', { sound: 'waiting' }, 'holds the sound back', 'start the sound'],
    ['level', { level: -90 }, 'Nothing came out', 'turn it up'],
    ['backing', { click: false, backings: { all: 1, heard: 0 } }, 'no backing can be heard', 'let it be heard'],
    ['backing', { click: false, backings: { all: 0, heard: 0 } }, 'there is no backing', 'let it be heard'],
  ])('%s: %j says why, and carries what mends it', (id, over, says, mend) => {
    const chain = chainOf({ ...good, ...over });
    const trouble = chain.find((l) => l.id === id)!;
    expect(trouble.state).not.toBe('whole');
    expect(trouble.says).toContain(says);
    expect(trouble.mend).toBe(mend);
    expect(firstTrouble(chain)!.id).toBe(id);
  });

  it('marks what is broken before what only waits for a key', () => {
    expect(firstTrouble(chainOf({ ...good, last: null, level: null, parts: [] }))!.id).toBe('part');
    expect(readySummary(chainOf({ ...good, last: null, level: null }))).toMatchObject({ good: true });
    expect(readySummary(chainOf({ ...good, parts: [] }))).toEqual({ good: false, text: 'No part is armed.' });
    // The keys on screen will do; that there is no other keyboard is said.
    const { good: all, text } = readySummary(
      chainOf({ ...good, ports: [], meant: [{ name: 'Keys on screen', on: true }], onScreen: true }),
    );
    expect([all, text]).toEqual([false, expect.stringMatching(/^No keyboard is plugged in/)]);
  });
});
