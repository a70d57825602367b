import { describe, expect, it } from 'vitest';
import { mapsOf } from '../core/document/maps';
import { readPart, takeReader } from '../core/reading/reading';
import { secondsAt, tempoMap } from '../core/time/tempo';
import { songSchema } from '../core/document/document';
import { composeBacking } from './backing';
import { blankSong, playedSong } from './job';
import { HUMAN, perform, STRICT } from './player';
import { SHEETS, study } from './sheets';
import { barsOf, NIGHT_FERRY, ORCHARD_GATE, SLOW_TIDE, SLOW_TIDE_PLAYED } from './songs';

const sheet = SHEETS['orchard gate: electric piano']!();
const tempo = tempoMap(ORCHARD_GATE.tempo);

describe('the demo’s songs', () => {
  it('have the form they are said to have', () => {
    expect([ORCHARD_GATE, NIGHT_FERRY, SLOW_TIDE].map(barsOf)).toEqual([44, 32, 24]);
  });

  it('are composed the same way each time', () => {
    expect(composeBacking(NIGHT_FERRY, 4)).toEqual(composeBacking(NIGHT_FERRY, 4));
  });

  it('keep a tempo of their own where they were played without a click', () => {
    const drifting = composeBacking(SLOW_TIDE, 6, SLOW_TIDE_PLAYED).length;
    const steady = composeBacking(SLOW_TIDE, 6).length;
    expect(drifting).not.toBeCloseTo(steady, 1);
    SLOW_TIDE_PLAYED.forEach(({ bpm }) => expect(Math.abs(bpm / 72 - 1)).toBeLessThan(0.04));
  });

  it('have written parts inside their bars and on the piano', () => {
    for (const [name, write] of Object.entries(SHEETS)) {
      const part = write();
      expect([
        name,
        part.notes.length > 30,
        part.notes.every((n) => n.key >= 28 && n.key <= 96 && n.start >= 0 && n.length > 0),
      ]).toEqual([name, true, true]);
    }
  });

  it('come with takes that are valid, made by the program’s own pass', () => {
    const parts = [{ id: 'electric-piano', name: 'Electric piano', sheet: 'orchard gate: electric piano' }];
    const { document, layers } = playedSong(blankSong(ORCHARD_GATE, parts, []), 'x', [
      { part: 'electric-piano', fromBar: 1, toBar: 40 },
      { part: 'electric-piano', fromBar: 17, toBar: 20 },
    ]);
    expect(songSchema.parse(document)).toEqual(document);
    expect(document.parts[0]!.takes.map((t) => [t.from, t.to])).toEqual([
      [0, 40 * 3840],
      [16 * 3840, 20 * 3840],
    ]);
    const line = readPart(
      document.parts[0]!,
      takeReader(new Map(layers.map((l) => [l.header.id, l])), document.clocks),
    );
    expect(line.notes.length).toBeGreaterThan(250);
    expect(line.notes.every((n) => n.end <= mapsOf(document).end)).toBe(true);
  });
});

describe('the stand-in player', () => {
  it('is exact when asked to be', () => {
    const notes = perform(sheet, tempo, STRICT).filter((p) => p.written);
    expect(notes).toHaveLength(sheet.notes.length);
    notes.forEach((p) => expect(p.at).toBe(secondsAt(tempo, p.written!.start)));
  });

  it('is human otherwise: loose, with some notes wrong and some missed, the same for one seed', () => {
    const played = perform(sheet, tempo, { ...HUMAN, seed: 8 });
    const notes = played.filter((p) => p.written);
    const off = notes.map((p) => (p.at - secondsAt(tempo, p.written!.start)) * 1000);
    const spread = Math.sqrt(off.reduce((s, x) => s + x * x, 0) / off.length);
    expect(spread).toBeGreaterThan(5);
    expect(spread).toBeLessThan(25);
    expect(notes.length).toBeLessThan(sheet.notes.length);
    expect(notes.some((p) => p.message.type === 'noteOn' && p.message.key !== p.written!.key)).toBe(true);
    expect(perform(sheet, tempo, { ...HUMAN, seed: 8 })).toEqual(played);
    expect(perform(sheet, tempo, { ...HUMAN, seed: 9 })).not.toEqual(played);
  });

  it('plays a range as it would play it in the whole', () => {
    const range = { from: 16 * 3840, to: 20 * 3840 };
    const whole = perform(sheet, tempo, HUMAN).filter(
      (p) => p.written && p.written.start >= range.from && p.written.start < range.to,
    );
    expect(perform(sheet, tempo, HUMAN, range).filter((p) => p.written)).toEqual(whole);
  });

  it('has a study for any song', () => {
    const { meter } = mapsOf({ tempo: [{ tick: 0, bpm: 100 }], meter: [{ bar: 1, beats: 7, unit: 8 }], bars: 4 });
    expect(study(meter, 4).notes.every((n) => n.start < 4 * 3360)).toBe(true);
  });
});
