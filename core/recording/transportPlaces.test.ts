import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { newBrief } from '../document/brief';
import { newSong } from '../document/document';
import { mapsOf } from '../document/maps';
import { planOf } from '../testing/passes';
import { barsFrom, hasPlace, loopFrom, playheadAfter, punchAt } from './transportPlaces';
import { real } from '../testing/realNumbers';

/** 32 bars of four quarters at 120: a bar is 2 s and 3840 ticks. */
const song = { ...newSong('x', 'p'), tempo: [{ tick: 0, bpm: 120 }] };
const maps = mapsOf(song);

describe('a note', () => {
  it('has a place while something rolls, and just ahead of bar 1', () => {
    expect(hasPlace({ phase: 'recording' }, maps, 240, 3, -Infinity)).toBe(true);
    expect(hasPlace({ phase: 'counting' }, maps, 240, -0.1, -Infinity)).toBe(true);
    expect(hasPlace({ phase: 'counting' }, maps, 240, -0.2, -Infinity)).toBe(false);
  });

  it('has none while a note is waited for', () => {
    expect(hasPlace({ phase: 'waiting' }, maps, 240, 3, Infinity)).toBe(false);
  });

  it('has one after the stop only if it was made before it', () => {
    expect(hasPlace({ phase: 'stopping' }, maps, 240, 3.9, 4)).toBe(true);
    expect(hasPlace({ phase: 'idle' }, maps, 240, 4.1, 4)).toBe(false);
    expect(hasPlace({ phase: 'idle' }, maps, 240, 0, -Infinity)).toBe(false);
  });
});

describe('the playhead after a halt', () => {
  it('is where the pass began, however far it went', () => {
    expect(playheadAfter({ plan: planOf({ range: { from: 3840, to: 7680 } }), loop: null }, maps, 3.2)).toBe(3840);
  });

  it('stays where a punched pass was stopped', () => {
    const plan = planOf({ range: { from: 3840, to: 7680 }, punched: true });
    expect(playheadAfter({ plan, loop: null }, maps, 3.5)).toBeCloseTo(6720, 6);
  });

  it('is the loop’s start out of a loop, bar 1 at the song’s end, and where it stopped otherwise', () => {
    expect(playheadAfter({ plan: null, loop: { from: 4, to: 8 } }, maps, 21)).toBeCloseTo(7680, 6);
    expect(playheadAfter({ plan: null, loop: null }, maps, maps.endSeconds)).toBe(0);
    expect(playheadAfter({ plan: null, loop: null }, maps, 5)).toBeCloseTo(9600, 6);
    expect(playheadAfter({ plan: null, loop: null }, maps, -3)).toBe(0);
  });
});

describe('what playing goes round', () => {
  const brief = { ...newBrief('p'), loop: true, range: { from: 3840, to: 7680 } };

  it('is the loop, from ahead of it and from within it', () => {
    expect(loopFrom(brief, maps, 0)).toEqual({ from: 2, to: 4 });
    expect(loopFrom(brief, maps, 7679)).toEqual({ from: 2, to: 4 });
  });

  it('is nothing from behind it, and with the loop off', () => {
    expect(loopFrom(brief, maps, 7680)).toBeNull();
    expect(loopFrom({ ...brief, loop: false }, maps, 0)).toBeNull();
  });

  it('takes no part in where a punch lies: each lap is the same bars', () => {
    const loop = { from: 2, to: 4 };
    expect(punchAt(null, maps, 3)).toBeCloseTo(5760, 6);
    for (const lap of [0, 1, 7]) expect(punchAt(loop, maps, 3 + 2 * lap)).toBeCloseTo(5760, 5);
    expect(punchAt(null, maps, -1)).toBe(0);
  });
});

describe('steps by bars', () => {
  it('go back to the bar’s own start first, and stay inside the song', () => {
    expect(barsFrom(maps, 3840, 1)).toBe(7680);
    expect(barsFrom(maps, 5000, 1)).toBe(7680);
    expect(barsFrom(maps, 5000, -1)).toBe(3840);
    expect(barsFrom(maps, 3840, -1)).toBe(0);
    expect(barsFrom(maps, 0, -1)).toBe(0);
    expect(barsFrom(maps, maps.end - 1, 1)).toBe(maps.end - 1);
  });

  it('always move, but at the song’s ends', () => {
    fc.assert(
      fc.property(real(1, maps.end - 3841), (tick) => {
        expect(barsFrom(maps, tick, 1)).toBeGreaterThan(tick);
        expect(barsFrom(maps, tick, -1)).toBeLessThan(tick);
      }),
    );
  });
});
