import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { played, songOf } from '../testing/delivered';
import { off, on } from '../testing/layers';
import { deliveryPhrases, eachOnce, fileName, nameBy, USUAL_DELIVERY, type Delivery } from './delivery';
import { filesOf, partsGoing } from './files';

const facts = { job: 'Marsh Light', song: 'Low Tide', part: 'Piano', tempo: '96 bpm', key: 'C minor', version: 3 };
const song = songOf(['Piano', 'Organ', 'Pad'].map((id) => played(id, [on(0), off(1)]).part));
const names = (delivery: Partial<Delivery>, parts = song.parts) =>
  filesOf(song, parts, { ...USUAL_DELIVERY, ...delivery }, { job: 'Marsh Light', version: 2 }).map((f) => f.name);

describe('names of files', () => {
  it('say what the pattern says, and leave out what is not there', () => {
    expect(nameBy('{job} - {song} - {part} {tempo} {key} {version}', facts)).toBe(
      'Marsh Light - Low Tide - Piano 96 bpm C minor v3',
    );
    expect(nameBy('{song} - {key} - {part}', { ...facts, key: '' })).toBe('Low Tide - Piano');
    expect(nameBy('{what} {part}', facts)).toBe('_what_ Piano');
    expect(nameBy('{song} - {part}', { ...facts, part: '..' })).toBe('Low Tide - unnamed');
  });

  it('are such as every system takes, whatever songs and parts are called', () => {
    fc.assert(
      fc.property(fc.string({ unit: 'grapheme', maxLength: 200 }), fc.string({ maxLength: 60 }), (part, pattern) => {
        for (const name of [`${nameBy(pattern, { ...facts, part })}.wav`, fileName(part, 'wav')]) {
          expect(name).not.toMatch(/[\\/:*?"<>|\u0000-\u001f]/);
          expect(name).not.toMatch(/^[ .]|[ .]\.wav$/);
          expect(name.length).toBeGreaterThan(4);
          expect(new TextEncoder().encode(name).length).toBeLessThanOrEqual(200);
        }
      }),
    );
    expect(fileName('CON', 'mid')).toBe('CON_.mid');
    expect(fileName('../../etc', 'mid')).toBe('_.._etc.mid');
  });

  it('are never twice the same, capitals aside', () => {
    expect(eachOnce(['a.mid', 'A.mid', 'a.wav', 'a.mid', 'a 2.mid'])).toEqual([
      ...['a.mid', 'A 2.mid', 'a.wav', 'a 3.mid', 'a 2 2.mid'],
    ]);
  });
});

describe('a delivery', () => {
  it('is a file for all and one for each, sound, and the sheets', () => {
    expect(names({})).toEqual([
      ...['Low Tide - all parts.mid', 'Low Tide - Piano.mid', 'Low Tide - Organ.mid', 'Low Tide - Pad.mid'],
      ...['Low Tide - Piano.wav', 'Low Tide - Organ.wav', 'Low Tide - Pad.wav'],
      ...['Low Tide - cue sheet.txt', 'Low Tide - delivery note.txt', 'Low Tide - delivery note.html'],
    ]);
  });

  it('is what was chosen, and no two files have one name, whatever the pattern', () => {
    const all: Partial<Delivery> = {
      ...{ midi: 'apart', asPlayed: true, audio: 'both', format: 'flac', click: 'accented', tempoMap: true },
      ...{ sheets: false, names: '{version}' },
    };
    expect(names(all, song.parts.slice(0, 1))).toEqual([
      ...['v2 - Piano.mid', 'v2 - Piano as played.mid', 'v2 - tempo map.mid'],
      ...['v2 - Piano.flac', 'v2 - Piano with level.flac', 'v2 - click.flac'],
    ]);
    expect(names({ ...all, depth: '32-bit float' }).some((n) => n.endsWith('.flac'))).toBe(false);
    expect(names({ midi: 'none', audio: 'none', sheets: false })).toEqual([]);
    // Of one part, the file for all is the file for each.
    expect(names({ audio: 'none', sheets: false }, song.parts.slice(0, 1))).toEqual(['Low Tide - Piano.mid']);
  });

  it('leaves at home what is chosen to stay, put away, or has nothing in it', () => {
    const parts = [song.parts[0]!, { ...song.parts[1]!, away: true }, song.parts[2]!];
    const going = (leftOut: string[], notes = true) => partsGoing({ ...song, parts }, { leftOut }, () => notes);
    expect(going([]).map((p) => p.id)).toEqual(['Piano', 'Pad']);
    expect(going(['Pad']).map((p) => p.id)).toEqual(['Piano']);
    expect(going([], false)).toEqual([]);
  });

  it('is a sentence that says all of it', () => {
    const text = (over: Partial<Delivery>) =>
      deliveryPhrases({ ...USUAL_DELIVERY, ...over }, { going: 2, all: 3 }, 'C minor')
        .map((p) => p.text)
        .join('');
    expect(text({})).toBe(
      'Hand over 2 of 3 parts: MIDI in one file and a file each, 960 ticks; audio dry, WAV 48 kHz 24-bit; ' +
        'from bar 1, as long as the song; in C minor; with sheets and markers; named {song} - {part}.',
    );
    // Whatever is set otherwise makes another sentence.
    const others: Partial<Delivery>[] = [
      ...[{ midi: 'apart' }, { midiType: 0 }, { resolution: 480 }, { asPlayed: true }, { audio: 'both' }],
      ...[{ format: 'flac' }, { rate: 96_000 }, { depth: '32-bit float' }, { trimDb: -2 }, { ends: 'rung out' }],
      ...[{ names: '{part}' }, { click: 'plain' }, { backing: true }, { tempoMap: true }, { markers: false }],
      ...[{ sheets: false }, { tuned: true }, { pages: true }],
    ] as Partial<Delivery>[];
    for (const other of others) expect(text(other)).not.toBe(text({}));
    expect(Object.keys(USUAL_DELIVERY).sort()).toEqual(
      [...new Set(['leftOut', ...others.flatMap((o) => Object.keys(o))])].sort(),
    );
  });
});
