import { describe, expect, it } from 'vitest';
import { mapsOf } from '../document/maps';
import { played, songOf } from '../testing/delivered';
import { off, on } from '../testing/layers';
import { USUAL_DELIVERY } from './delivery';
import { clockWords, cueSheet, deliveryNote, deliveryPage, ixmlOf, sizeWords, type NoteFacts } from './sheets';
import type { SongDocument } from '../document/document';
import { filesOf } from './files';
import { newBacking } from '../document/backing';

const piano = played('Piano <1>', [on(0), off(1)], {
  treatments: [{ id: 't', from: 0, to: 7680, grid: '8 straight', strength: 0.5, ends: 'keep length' }],
});
const song = songOf([piano.part], {
  title: 'Reeds & "Tides"',
  meter: [
    { bar: 1, beats: 4, unit: 4 },
    { bar: 5, beats: 3, unit: 4 },
  ],
  tempo: [
    { tick: 0, bpm: 120 },
    { tick: 7680, bpm: 60, ramp: 'linear' },
    { tick: 15_360, bpm: 90 },
  ],
  sections: [
    { id: 'a', name: 'Verse', bars: 4, pattern: null },
    { id: 'b', name: 'Chorus', bars: 4, pattern: null },
  ],
  key: { fifths: -2, minor: true },
  waived: [{ check: 'x', words: 'Piano: bar 3 not played', reason: 'a rest' }],
});
const facts: NoteFacts = {
  ...{ job: { title: 'Marsh Light', client: 'Saltings Radio' }, version: 2, at: '2026-11-26T10:00:00Z' },
  ...{ changed: ['Piano: bar 4 changed by hand'], onlyChanged: true },
  files: [
    {
      ...{ file: { type: 'audio', part: 'Piano <1>', level: false, name: 'a.wav' }, bytes: 2_000_000 },
      ...{ sha256: 'f'.repeat(64), seconds: 61.5, levels: { peak: -3, truePeak: -2.9, loudness: -Infinity } },
    },
  ],
};
const maps = mapsOf(song);

describe('sheets', () => {
  it('say where sections, meters and tempos are, in bars and in time', () => {
    const lines = cueSheet(song, maps)
      .split('\n')
      .map((l) => l.replaceAll(/ +/g, ' '));
    expect(lines).toEqual([
      ...['Reeds & "Tides"', 'G minor', '', 'Bar Time'],
      ...['1 0:00.000 Verse, bars 1–4', '1 0:00.000 meter 4/4', '1 0:00.000 tempo 120'],
      '3 0:04.000 tempo 60, going over into the next',
      expect.stringMatching(/^5 0:\d\d\.\d{3} Chorus, bars 5–8$/),
      expect.stringMatching(/^5 .* meter 3\/4$/),
      expect.stringMatching(/^5 .* tempo 90$/),
      expect.stringMatching(/^9 .* end of the song$/),
      '',
    ]);
  });

  it('say where backings lie that go along', () => {
    const backing = newBacking({ id: 'mix', name: 'Mix', audio: 'a'.repeat(64), offset: -1.25, length: 30 });
    const own = { ...song, backings: [backing, { ...backing, name: 'Click', offset: 0 }] };
    expect(cueSheet(own, maps, true)).toContain('Mix begins 0:01.250 before bar 1\nClick begins at bar 1\n');
    expect(cueSheet(own, maps)).not.toContain('Mix');
  });

  it('say from which takes it is, what was treated, what changed, what was waved through, and each file', () => {
    const note = deliveryNote(song, song.parts, USUAL_DELIVERY, facts, maps);
    for (const words of [
      ...['Reeds & "Tides", version 2', 'Marsh Light · Saltings Radio · 2026-11-26', 'Since version 1'],
      ...['Piano: bar 4 changed by hand', 'only the parts that changed', 'bars 1–8 from take 1', 'treated: bars 1–2'],
      ...[
        'Piano: bar 3 not played: a rest',
        'a.wav',
        '1:01.500',
        '1.9 MB',
        'silent, true peak −2.9 dB',
        'f'.repeat(64),
      ],
    ])
      expect(note).toContain(words);
  });

  it('as a page are the same, and nothing in it is taken for markup', () => {
    const page = deliveryPage(song, song.parts, USUAL_DELIVERY, facts, maps);
    expect(page).not.toContain('Piano <1>');
    expect(page).toContain('Piano &#60;1&#62;');
    expect(page).toContain('Reeds &#38; &#34;Tides&#34;, version 2');
    // It asks for nothing from elsewhere.
    expect(page).not.toMatch(/https?:|src=|<script|<link/);
    expect(ixmlOf(song, 'Piano <1>')).toContain('<NOTE>Piano &lt;1&gt;</NOTE>');
  });

  it('say sizes and times as people do', () => {
    expect([0, 1023, 2048, 5 * 2 ** 20, 3 * 2 ** 30].map(sizeWords)).toEqual([
      ...['0 bytes', '1023 bytes', '2.0 kB', '5.0 MB', '3.00 GB'],
    ]);
    expect([0, 59.9996, 61.5, 3600].map(clockWords)).toEqual(['0:00.000', '1:00.000', '1:01.500', '60:00.000']);
  });
});

describe('a transposed song', () => {
  it('is said on the cue sheet and the note, with its keys and its chords as they sound', () => {
    const own: SongDocument = {
      ...song,
      key: { fifths: 0, minor: false },
      transposition: [{ bar: 5, semitones: 2 }],
      written: [
        { bar: 1, letter: '', chords: 'Am7 D7', words: '' },
        { bar: 5, letter: '', chords: 'C/E', words: '' },
      ],
      backings: [newBacking({ id: 'mix', name: 'Mix', audio: 'a'.repeat(64), length: 30 })],
    };
    const sheet = cueSheet(own, mapsOf(own), true);
    expect(sheet).toContain('C major, D major from bar 5\ntransposed 2 semitones up in bars 5–');
    expect(sheet).toContain('Am7 D7');
    expect(sheet).toContain('D/F#');
    expect(sheet).toContain('The backings are as they came: in their own key.');
    expect(cueSheet({ ...own, transposition: [] }, mapsOf(own), true)).not.toContain('transposed');
    const named = { ...USUAL_DELIVERY, names: '{song} {key}', pages: true };
    const up = { ...own, transposition: [{ bar: 1, semitones: 2 }] };
    const paged = { pages: [{ id: 'p', file: 'b'.repeat(64), page: 0, aspect: 1.4 }], systems: [], ink: [] };
    const names = filesOf({ ...up, title: 'Reed Lane', sheet: paged }, [], named, { job: 'x', version: 1 }).map(
      (f) => f.name,
    );
    expect(names).toContain('Reed Lane D major - sheet.bin');
  });
});
