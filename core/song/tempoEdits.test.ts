import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { meterMap, type MeterChange } from '../time/meter';
import { tempoMap } from '../time/tempo';
import { meterFromText, pickUpOf, withMeterAt, withPickUp, withTempoAt, withTempoSet } from './tempoEdits';

const meter: readonly MeterChange[] = [
  { bar: 1, beats: 4, unit: 4 },
  { bar: 5, beats: 6, unit: 8 },
];
const tempo = [
  { tick: 0, bpm: 100 },
  { tick: 3840, bpm: 120 },
];

describe('a tempo', () => {
  it('is set within what a song can have, and refused outside it', () => {
    expect(withTempoSet(tempo, 1, { bpm: 90 })).toEqual({ tempo: [tempo[0], { tick: 3840, bpm: 90 }] });
    expect(withTempoSet(tempo, 1, { ramp: 'linear' })?.tempo?.[1]).toEqual({ tick: 3840, bpm: 120, ramp: 'linear' });
    for (const bpm of [4, 1001, NaN]) expect(withTempoSet(tempo, 0, { bpm })).toBeNull();
  });

  it('is added at the beat of the playhead, as fast as it is there, in place of one that is there', () => {
    const map = tempoMap(tempo);
    const at = (place: number, bpm?: number) => withTempoAt(map, meterMap(meter), place, bpm).tempo;
    expect(at(1000)).toEqual([tempo[0], { tick: 960, bpm: 100 }, tempo[1]]);
    expect(at(3900, 80)).toEqual([tempo[0], { tick: 3840, bpm: 80 }]);
  });
});

describe('a meter', () => {
  it('is read from text', () => {
    expect(meterFromText(' 7 / 8 ')).toEqual({ beats: 7, unit: 8 });
    for (const text of ['', '7', '0/4', '65/4', '4/3', '4/64', 'four/4', '4/4/4'])
      expect(meterFromText(text)).toBeNull();
  });

  it('goes in at its bar, in order, in place of one that begins there', () => {
    expect(withMeterAt(meter, 3, '3/4')?.meter?.map((m) => m.bar)).toEqual([1, 3, 5]);
    expect(withMeterAt(meter, 5, '3/4')?.meter).toEqual([meter[0], { bar: 5, beats: 3, unit: 4 }]);
    expect(withMeterAt(meter, 0, '3/4')).toBeNull();
    expect(withMeterAt(meter, NaN, '3/4')).toBeNull();
    expect(withMeterAt(meter, 3, '3/5')).toBeNull();
  });
});

describe('a pick-up', () => {
  const song = { meter, tempo, bars: 32 };

  it('is a short first bar: what follows moves on by a bar, and the song is one longer', () => {
    const edit = withPickUp(song, 1)!;
    expect(edit.meter).toEqual([
      { bar: 1, beats: 1, unit: 4 },
      { bar: 2, beats: 4, unit: 4 },
      { bar: 6, beats: 6, unit: 8 },
    ]);
    expect(edit.tempo).toEqual([tempo[0], { tick: 3840 + 960, bpm: 120 }]);
    expect(edit.bars).toBe(33);
    expect(pickUpOf(edit.meter!)).toBe(1);
  });

  it('cannot be as long as a bar', () => {
    expect(withPickUp(song, 4)).toBeNull();
  });

  it('leaves every moment where it was when it is set and taken away again', () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 3 }), fc.integer({ min: 0, max: 3 }), (first, then) => {
        const set = { ...song, ...withPickUp(song, first)! };
        const changed = { ...set, ...withPickUp(set as typeof song, then)! };
        const back = withPickUp(changed as typeof song, 0) ?? changed;
        expect(back.tempo).toEqual(tempo);
        expect(back.meter).toEqual(meter);
        expect(pickUpOf(changed.meter)).toBe(then);
      }),
    );
  });
});
