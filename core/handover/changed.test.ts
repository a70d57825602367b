import { describe, expect, it } from 'vitest';
import { newTake } from '../document/take';
import type { SongDocument } from '../document/document';
import { change, type Command } from '../song/changes';
import type { Layers } from '../reading/reading';
import { played, songOf } from '../testing/delivered';
import { HEARD, layer, off, on } from '../testing/layers';
import { changedSince, changedWords, isChanged, newestWith } from './changed';

const beats = Array.from({ length: 32 }, (_, b) => [on(b), off(b + 0.5)]).flat();
const piano = played('Piano', beats);
const organ = played('Organ', beats.slice(0, 20));
const fresh = layer('fresh', 0, 32, Array.from({ length: 32 }, (_, b) => [on(b, 65), off(b + 0.5, 65)]).flat());
const layers = new Map([...piano.layers, ...organ.layers, ['fresh', fresh] as const]);
const sections = ['Verse', 'Chorus 2'].map((name) => ({ id: name, name, bars: 4, pattern: null }));
const song = songOf([piano.part, organ.part], { sections });
const ids = ({ parts }: SongDocument): string[] => parts.map((p) => p.id);
/** Changes of all parts, after one version that had all of them. */
const since = (before: SongDocument, now: SongDocument, of: Layers = layers) =>
  changedSince([{ number: 1, document: before, parts: ids(before) }], now, now.parts, of);
const words = (now: SongDocument): string[] => changedWords(since(song, now));
const tape = (recording: string) => ({ recording, input: 0, frame: 0 });
const after = (...commands: Command[]): SongDocument =>
  commands.reduce((now, command) => change(now, command).document, song);

describe('what changed since a version', () => {
  it('is nothing where nothing a client has would be another', () => {
    expect(isChanged(since(song, song))).toBe(false);
    const set = after(
      { type: 'set part', part: 'Piano', to: { muted: true } },
      { type: 'set song', to: { speed: 0.8, notes: 'x' } },
      { type: 'wave through', check: 'a', words: 'b', reason: 'c' },
    );
    expect(words(set)).toEqual([]);
  });

  it('is said in bars and in words: another take, the hand, a treatment, a section by its name', () => {
    const [part] = song.parts;
    const take = newTake({ id: 'n', number: 2, layers: ['fresh'], from: 0, to: 30_720, placement: HEARD, at: '' });
    const comp = [
      { from: 0, to: 8 * 960, takeId: part!.takes[0]!.id },
      { from: 8 * 960, to: 16 * 960, takeId: 'n' },
      { from: 16 * 960, to: 32 * 960, takeId: part!.takes[0]!.id },
    ];
    const picked = { ...song, parts: [{ ...part!, takes: [...part!.takes, take], comp }, song.parts[1]!] };
    expect(words(picked)).toEqual(['Piano: bars 3–4 from a new take']);
    const old = { ...picked, parts: [{ ...picked.parts[0]!, comp: part!.comp }, song.parts[1]!] };
    expect(changedWords(since(old, picked))).toEqual(['Piano: bars 3–4 from take 2']);
    const [own] = part!.takes;
    const moved = after({
      ...{ type: 'edit takes', part: 'Piano', what: 'x' },
      takes: [{ take: own!.id, edits: [{ op: 'move', notes: { Piano: '5' }, by: 60, keys: 0 }] }],
    });
    expect(words(moved)).toEqual(['Piano: bar 2 changed by hand']);
    const chorus = { from: 16 * 960, to: 32 * 960 };
    const shifted = after({
      ...{ type: 'edit takes', part: 'Organ', what: 'x' },
      takes: [{ take: song.parts[1]!.takes[0]!.id, edits: [{ op: 'move', notes: { Organ: '0-9' }, by: 33, keys: 0 }] }],
    });
    const pulled = change(shifted, {
      ...{ type: 'treat', part: 'Piano' },
      treatment: { id: 't', ...chorus, grid: '4 triplet', strength: 1, ends: 'snap length' },
    }).document;
    expect(words(pulled)).toEqual([
      expect.stringMatching(/^Piano: Chorus 2 pulled to quarter/),
      'Organ: bars 1–3 changed by hand',
    ]);
  });

  it('says level, sound, names, parts that came, and what the song as a whole became', () => {
    expect(words(after({ type: 'set part', part: 'Piano', to: { gainDb: -3, name: 'Grand' } }))).toEqual([
      'Grand: it was called Piano; level -3 dB, before -6 dB',
    ]);
    expect(words(after({ type: 'set part', part: 'Piano', to: { sound: 'felt piano' } }))).toEqual([
      'Piano: Felt piano, before Full grand',
    ]);
    const longer = after(
      { type: 'set tempo', retiming: { tempo: [{ tick: 0, bpm: 90 }], takes: 'bars' } },
      { type: 'set length', bars: 9 },
      { type: 'set song', to: { key: { fifths: 2, minor: false }, title: 'High Tide' } },
    );
    expect(words(longer)).toEqual(['The song: it was called Low Tide; another tempo; 9 bars, before 8; another key']);
    const third = { ...song, parts: [...song.parts, { ...piano.part, id: 'x', name: 'Clavi' }] };
    expect(words(third)).toEqual(['Clavi: a new part']);
  });

  it('is the sound it goes out as, and recorded sound that is another though its notes are not', () => {
    const [part] = song.parts;
    const as = after({ type: 'set part', part: 'Piano', to: { heardAs: 'recorded' } });
    expect(words(as)).toEqual(['Piano: its recorded sound, before Full grand']);
    const sounding = new Map([...layers].map(([id, l]) => [id, { ...l, header: { ...l.header, sound: tape(id) } }]));
    const silent = layer('again', 0, 32, []);
    sounding.set('again', { ...silent, header: { ...silent.header, sound: tape('again') } });
    const over = { ...as, parts: [{ ...as.parts[0]!, takes: [{ ...part!.takes[0]!, layers: ['Piano', 'again'] }] }] };
    const bars = since({ ...as, parts: [as.parts[0]!] }, over, sounding).parts[0]!.bars;
    expect(bars).toEqual([1, 2, 3, 4, 5, 6, 7, 8]);
    expect(isChanged(since(over, over, sounding))).toBe(false);
  });

  it('is held against the version that each part was in last, and says so; one that never went is new', () => {
    const moved = (part: string, now: SongDocument): SongDocument =>
      change(now, {
        ...{ type: 'edit takes', part, what: 'x' },
        takes: [
          {
            take: now.parts.find((p) => p.id === part)!.takes[0]!.id,
            edits: [{ op: 'move', notes: { [part]: '5' }, by: 60, keys: 0 }],
          },
        ],
      }).document;
    // Both went out, then the piano alone; the organ had changed by then, and nobody got it.
    const second = moved('Organ', moved('Piano', song));
    const out = [
      { number: 2, document: second, parts: ['Piano'] },
      { number: 1, document: song, parts: ['Piano', 'Organ'] },
    ];
    const say = (now: SongDocument, of = out) => changedWords(changedSince(of, now, now.parts, layers));
    expect(say(second)).toEqual(['Organ, since version 1: bar 2 changed by hand']);
    expect(say(second, [out[0]!])).toEqual(['Organ: a new part']);
    // A tempo that is another since version 1 is told of the part that has not gone out in it.
    const faster: Command = { type: 'set tempo', retiming: { tempo: [{ tick: 0, bpm: 144 }], takes: 'bars' } };
    const third = change(song, faster).document;
    expect(say(third, [{ ...out[0]!, document: third }, out[1]!])).toEqual(['Organ, since version 1: another tempo']);
    // A part that the client does not get is none of theirs.
    expect(changedSince(out, second, [second.parts[0]!], layers).parts).toEqual([]);
  });

  it('takes the newest version, and of each part the newest with it', () => {
    const versions = [['a', 'b', 'c'], ['b'], ['a', 'b'], ['b']].map((parts, i) => ({ number: i + 1, parts }));
    const numbers = (parts: string[]) => newestWith(versions, parts).map((v) => v.number);
    expect(numbers(['a', 'b', 'c'])).toEqual([4, 3, 1]);
    expect(numbers(['b'])).toEqual([4]);
    expect(numbers(['never'])).toEqual([4]);
    expect(newestWith([], ['a'])).toEqual([]);
  });
});
