import { SHIPPED_FEELS } from '../timing/feel';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { newSong } from '../document/document';
import { newPart } from '../document/part';
import { newBrief, PLAIN_PASS } from '../document/brief';
import { change, isLap, kindOf, nameOf, readCommand, undoLabel, type Command } from './changes';
import { header } from '../testing/arbitraries';
import { newBacking } from '../document/backing';

const song = newSong('Lamps on the Causeway', 'piano');
const range = { from: 0, to: 3840 };
const layer = header({ id: 'layer', partId: 'piano', takeId: 'take', passId: 'pass' });
const closing = { range, clears: [] };
const result = { passId: 'pass', mode: 'merge', layers: [{ header: layer, closing, notes: 3 }] } as const;
const at = '2026-01-01T00:00:00.000Z';
const backing = newBacking({ id: 'b', name: 'Band', audio: 'a'.repeat(64), length: 60 });

/** One of each kind of command. */
const commands: readonly Command[] = [
  { type: 'set brief', brief: { mode: 'merge', range } },
  { type: 'record', result, at },
  { type: 'keep', results: [result], at, bars: 40, retiming: { tempo: [{ tick: 0, bpm: 90 }], takes: 'bars' } },
  { type: 'mute layer', part: 'piano', take: 'take', layer: 'layer', muted: true },
  { type: 'move layer out', part: 'piano', take: 'take', layer: 'layer', to: { id: 'n', name: 'New', takeId: 't' } },
  { type: 'pick take', part: 'piano', take: 'take', range },
  { type: 'place part', part: 'piano', policy: 'played', nudge: -12 },
  {
    type: 'treat',
    part: 'piano',
    treatment: { id: 't', ...range, grid: '16 straight', strength: 0.5, ends: 'keep end', layers: ['layer'] },
  },
  {
    ...{ type: 'treat parts', parts: ['piano'] },
    treatment: {
      ...{
        id: 't',
        ...range,
        grid: '16 straight',
        second: '8 triplet',
        lines: 'phrase',
        strength: 0.5,
        ends: 'keep end',
      },
      ...{
        swing: { percent: 58, of: 16 },
        offset: -4,
        within: 3,
        beyond: 90,
        chord: 60,
        touch: { level: 70, range: 0.8 },
      },
      ...{ keys: { low: 60, high: 127 }, notes: { layer: '0-3' }, loose: { spread: 4, seed: 2 } },
      feel: { feel: SHIPPED_FEELS[0]!, timing: 1, touch: 0.5 },
    },
  },
  { type: 'decide', part: 'piano', notes: ['layer:3'], line: 960 },
  { type: 'decide', part: 'piano', notes: ['layer:3'], line: 'played' },
  { type: 'take one treatment off', part: 'piano', treatment: 't' },
  { type: 'take treatment off', part: 'piano', range },
  { type: 'add backing', backing },
  { type: 'take backing out', backing: 'b' },
  { type: 'move backing', backing: 'b', offset: 2 },
  { type: 'set backing', backing: 'b', to: { pan: 0.5 } },
  { type: 'set click', click: { accent: false } },
  { type: 'set song', to: { speed: 0.8 } },
  { type: 'set length', bars: 12 },
  { type: 'set sections', sections: [{ id: 's', name: 'Verse', bars: 8, pattern: null }] },
  { type: 'set transposition', transposition: [{ bar: 3, semitones: -4 }] },
  { type: 'set tempo', retiming: { meter: [{ bar: 1, beats: 3, unit: 4 }], takes: 'recording', shift: 1 } },
  { type: 'add part', part: { id: 'organ', name: 'Organ', sound: 'tonewheel organ' } },
  { type: 'set part', part: 'piano', to: { solo: true } },
  { type: 'hand over', parts: [{ id: 'piano', bars: ['a', ''] }], version: 1, at },
  { type: 'bring in take', part: 'piano', header: header({ id: 'f' }), range, at },
  { type: 'wave through', check: 'silent 1', words: 'is silent', reason: 'as agreed' },
];

describe('a command', () => {
  it.each(commands.map((command) => [command.type, command] as const))('"%s" comes back from storage', (_, command) => {
    expect(readCommand(JSON.parse(JSON.stringify(command)))).toEqual(command);
  });

  it('sets only what it says, whatever the defaults of the rest', () => {
    const loud = { ...song, brief: { ...newBrief('piano'), loop: true, early: 100 } };
    const { document } = change(loud, readCommand({ type: 'set brief', brief: { countOffBars: 2 } }));
    expect(document.brief).toEqual({ ...loud.brief, countOffBars: 2 });
    const part = { ...newPart({ id: 'piano', name: 'Piano' }, 0), monitor: 'keyboard' as const, overLine: true };
    const set = change(
      { ...song, parts: [part] },
      readCommand({ type: 'set part', part: 'piano', to: { muted: true } }),
    );
    expect(set.document.parts[0]).toEqual({ ...part, muted: true });
  });

  it('from storage that is none is refused', () => {
    expect(() => readCommand({ type: 'sing' })).toThrow();
    expect(() => readCommand('set brief')).toThrow();
    expect(() => readCommand({ type: 'set brief' })).toThrow();
    expect(() => readCommand({ type: 'set part', part: 'piano', to: { id: 'other' } })).toThrow();
    expect(() => readCommand({ type: 'set length', bars: -3 })).toThrow();
    expect(() => readCommand({ type: 'move backing', backing: 'b', offset: null })).toThrow();
  });

  it('from storage never changes a song into something that is none', () => {
    fc.assert(
      fc.property(fc.constantFrom(...commands), fc.jsonValue(), fc.nat(), (command, wrong, n) => {
        const keys = Object.keys(command).filter((key) => key !== 'type');
        const broken = { ...command, [keys[n % keys.length]!]: wrong };
        let read: Command;
        try {
          read = readCommand(broken);
        } catch {
          // Refused, as it should be.
          return;
        }
        try {
          change(song, read);
        } catch (error) {
          // What it names is not in the song, or the song would not be valid: both are said, and nothing is changed.
          expect((error as Error).constructor.name).toMatch(/^(UnknownThing|ZodError)$/);
        }
      }),
    );
  });

  it('is a setting, which undo steps over, or has words for undo', () => {
    const settings = commands.filter((command) => kindOf(command) === 'set').map(({ type }) => type);
    expect(settings.sort()).toEqual(['hand over', 'set backing', 'set brief', 'set click', 'set part', 'set song']);
    for (const command of commands.filter((c) => kindOf(c) === 'do')) {
      expect(undoLabel(nameOf(command))).not.toBe('the last change');
    }
    expect(undoLabel('what nobody knows')).toBe('the last change');
  });

  it('of a lap is named for its pass', () => {
    const lap = { ...result, layers: [{ ...result.layers[0], header: { ...layer, laps: PLAIN_PASS.laps, lap: 2 } }] };
    const name = nameOf({ type: 'record', result: lap, at });
    expect(isLap(name)).toBe(true);
    expect(name).toContain('pass');
    expect(undoLabel(name)).toBe('the last lap');
  });
});
