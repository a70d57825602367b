import { describe, expect, it } from 'vitest';
import { applyTreatment, type Treatment } from '../../timing/treatments';
import { treatedWords } from '../../timing/words';
import { meterMap } from '../../time/meter';
import { change, type Command } from '../changes';
import { newTake } from '../../document/take';
import { newSong, type SongDocument } from '../../document/document';

const plain: SongDocument = { ...newSong('x', 'piano'), bars: 8 };

const range = { from: 0, to: 15_360 };

const does = (song: SongDocument, ...commands: Command[]): SongDocument =>
  commands.reduce((doc, command) => change(doc, command).document, song);

const fourFour = meterMap([{ bar: 1, beats: 4, unit: 4 }]);

const TAKE = newTake({
  ...{ id: 'take', number: 1, layers: ['a'], ...range, at: '', placement: { policy: 'heard', nudge: 0 } },
});

const treatment = (over: Partial<Treatment> = {}): Treatment => ({
  id: 'layer-of-a-pass-treatment',
  ...range,
  grid: '16 straight',
  strength: 1,
  ends: 'keep length',
  ...over,
});

describe('what was decided of a note', () => {
  it('stays, whatever recipe is laid over it or taken off, until it is let go', () => {
    const decided = does(
      plain,
      { type: 'treat', part: 'piano', treatment: treatment() },
      { type: 'decide', part: 'piano', notes: ['a:1', 'a:2'], line: 960 },
      { type: 'decide', part: 'piano', notes: ['a:2'], line: 'played' },
      { type: 'treat', part: 'piano', treatment: treatment({ id: 'other', grid: '8 triplet' }) },
      { type: 'take treatment off', part: 'piano', range },
    );
    expect(decided.parts[0]!.decided).toEqual({ 'a:1': 960, 'a:2': 'played' });
    const free = does(decided, { type: 'decide', part: 'piano', notes: ['a:1'], line: null });
    expect(free.parts[0]!.decided).toEqual({ 'a:2': 'played' });
    const both = does(plain, {
      ...{ type: 'decide', part: 'piano', notes: ['a:1'], line: 960 },
      also: [{ notes: ['a:2'], line: 1920 }],
    } as Command);
    expect(both.parts[0]!.decided).toEqual({ 'a:1': 960, 'a:2': 1920 });
  });

  it('moves with its note when takes stay with the recording', () => {
    const at120 = does(
      { ...plain, tempo: [{ tick: 0, bpm: 120 }] },
      { type: 'decide', part: 'piano', notes: ['a:1'], line: 1920 },
    );
    const taken = {
      ...at120,
      parts: at120.parts.map((p) => ({ ...p, takes: [{ ...TAKE }], comp: [{ ...range, takeId: 'take' }] })),
    };
    const slower = change(taken, {
      ...{ type: 'set tempo', retiming: { tempo: [{ tick: 0, bpm: 60 }], takes: 'recording' } },
    } as Command).document;
    expect(slower.parts[0]!.decided).toEqual({ 'a:1': 960 });
  });
});

it('one recipe is laid on several parts, and one for a hand alone is taken off by itself', () => {
  const two = does(plain, { type: 'add part', part: { id: 'organ', name: 'Organ', sound: 'tonewheel organ' } });
  const laid = does(
    two,
    { type: 'treat parts', parts: ['piano', 'organ'], treatment: treatment() },
    { type: 'treat', part: 'organ', treatment: treatment({ id: 'left', keys: { low: 0, high: 59 } }) },
  );
  expect(laid.parts.map((p) => p.treatments.length)).toEqual([1, 2]);
  const off = does(laid, { type: 'take one treatment off', part: 'organ', treatment: 'left' });
  expect(off.parts[1]!.treatments).toEqual(laid.parts[0]!.treatments);
});

describe('a treatment', () => {
  it('is split any number of times and stays valid, each piece with an id of its own', () => {
    let song = does(plain, { type: 'treat', part: 'piano', treatment: treatment() });
    for (let punch = 0; punch < 60; punch += 1)
      song = does(song, {
        type: 'take treatment off',
        part: 'piano',
        range: { from: 100 + punch * 200, to: 150 + punch * 200 },
      });
    const ids = song.parts[0]!.treatments.map((t) => t.id);
    expect(ids).toHaveLength(61);
    expect(new Set(ids).size).toBe(61);
    expect(Math.max(...ids.map((id) => id.length))).toBeLessThan(80);
  });

  it('is told in words wherever it is, over some of the range or for some passes', () => {
    const all = [
      treatment({ to: 3840 }),
      treatment({ id: 'b', from: 7680, to: 11_520, grid: '8 straight', strength: 0.5, layers: ['x'] }),
    ];
    expect(treatedWords(all, range, fourFour)).toBe(
      'bar 1 100% to sixteenths, bar 3 what one pass brought 50% to eighths',
    );
    expect(treatedWords(all, { from: 3840, to: 7680 }, fourFour)).toBe('');
    const laid = applyTreatment(all, treatment({ id: 'c' }));
    expect(treatedWords(laid, range, fourFour)).toBe('bars 1–4 100% to sixteenths');
  });
});
