import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { newSong } from '../document/document';
import { header } from '../testing/arbitraries';
import { KEPT_FROM, readLayer, type LayerEvent } from '../takes/layer';
import { change, type Command } from './changes';
import { mapsOf } from '../document/maps';
import { lineOf, takeReader } from '../reading/reading';
import { closedWhereCutOff, passesWithoutTake, type KeptLayer } from './recovery';

/** A layer over bars 2 to 9 at 120. */
const own = header({
  id: 'layer',
  partId: 'piano',
  takeId: 'take',
  passId: 'pass',
  planned: { from: 3840, to: 34_560 },
});
const press = (at: number, on: boolean): LayerEvent => ({
  at,
  message: on ? { type: 'noteOn', key: 60, velocity: 80 } : { type: 'noteOff', key: 60, velocity: 64 },
});
const kept = (events: readonly LayerEvent[]): KeptLayer => ({ header: own, mode: 'new take', closing: null, events });
const song = newSong('x', 'piano');

describe('a layer whose pass was cut off', () => {
  it('is closed and read whatever its size', () => {
    const bends: LayerEvent[] = Array.from({ length: 300_000 }, (_, i) => ({
      at: i / 1000,
      message: { type: 'bend', value: i % 16_384 },
    }));
    const events = [press(0, true), press(0.5, false), ...bends];
    const header = { ...own, planned: { from: 0, to: 1_000_000 } };
    const { layer, result } = closedWhereCutOff({ header, mode: 'new take', closing: null, events });
    expect(result!.layers[0]).toMatchObject({ touched: true });
    const { document } = change({ ...song, bars: 400 }, { type: 'record', result: result!, at: 'now' });
    const line = lineOf(document.parts[0]!, takeReader(new Map([[header.id, layer]]), []), mapsOf(document));
    expect(line.controls.length).toBeGreaterThan(250_000);
  });

  it('is closed over what was kept, and what was held ends there', () => {
    const { layer, result } = closedWhereCutOff(kept([press(3, true), press(3.5, false), press(4, true)]));
    const { notes } = readLayer(layer, own.placement);
    expect(notes.map((n) => [n.start, n.end])).toEqual([
      [5760, 6720],
      [7680, 7680 + 480],
    ]);
    expect(result).toMatchObject({ passId: 'pass', layers: [{ notes: 2 }] });
  });

  it('in which nothing was played is closed, and makes no take', () => {
    const { layer, result } = closedWhereCutOff(kept([]));
    expect(layer.closing.range.to).toBe(layer.closing.range.from);
    expect(result).toBeNull();
  });

  it('has its sound to the last of it, also where no key was struck, and no more', () => {
    const sounded = { ...kept([]), header: { ...own, sound: { recording: 'r', input: 0.01, frame: 0 } } };
    const sound = { zero: -1, rate: 48_000, end: 48_000 * 9.01 };
    const bySound = closedWhereCutOff(sounded, sound);
    // Eight seconds at 120, the input latency taken off.
    expect(bySound.layer.closing.range).toEqual({ from: 3840, to: 15_360 });
    expect(bySound.result?.layers).toMatchObject([{ notes: 0, touched: true }]);
    const { document } = change(song, { type: 'record', result: bySound.result!, at: 'now' });
    expect(document.parts[0]!.takes).toMatchObject([{ from: 3840, to: 15_360 }]);
    const laterKey = closedWhereCutOff({ ...sounded, events: [press(10, true)] }, sound);
    expect(laterKey.layer.closing.range.to).toBe(19_680);
    expect(closedWhereCutOff({ ...sounded, events: [press(4, true)] }, sound).layer.closing.range.to).toBe(15_360);
    // It is not said that something was kept of which nothing is there.
    expect(closedWhereCutOff(sounded).result).toBeNull();
    expect(closedWhereCutOff(sounded, { ...sound, end: 48_000 * 2 }).result).toBeNull();
  });

  it('loses no note of its bars, whenever it was cut off', () => {
    const times = fc.array(fc.integer({ min: 2000, max: 17_900 }), { minLength: 1, maxLength: 30 });
    fc.assert(
      fc.property(times, fc.boolean(), (struck, lastIsHeld) => {
        const sorted = [...new Set(struck)].sort((a, b) => a - b).map((ms) => ms / 1000);
        const events = sorted.flatMap((at, i) => {
          const next = sorted[i + 1];
          if (next === undefined && lastIsHeld) return [press(at, true)];
          return [press(at, true), press(Math.min(at + 0.1, next ?? Infinity), false)];
        });
        const { layer, result } = closedWhereCutOff(kept(events));
        expect(readLayer(layer, own.placement).notes).toHaveLength(sorted.length);
        expect(result!.layers[0]!.notes).toBe(sorted.length);
      }),
    );
  });

  it('of many events is closed as well', () => {
    const events = Array.from({ length: 150_000 }, (_, i) => press(2 + i * 1e-4, i % 2 === 0));
    expect(closedWhereCutOff(kept(events)).result).not.toBeNull();
  });
});

describe('a layer that was closed without its take having been made', () => {
  const { layer, result } = closedWhereCutOff(kept([press(3, true), press(3.5, false)]));
  const stored: KeptLayer = { ...kept(layer.events), closing: layer.closing };
  const record: Command = { type: 'record', result: result!, at: '' };

  it('is made into one', () => {
    const passes = passesWithoutTake(song, [stored]);
    expect(passes).toEqual([result]);
    expect(change(song, { type: 'record', result: passes[0]!, at: '' }).document.parts[0]!.takes).toHaveLength(1);
  });

  it('is left alone where it is in a take, and while it is open', () => {
    expect(passesWithoutTake(change(song, record).document, [stored])).toEqual([]);
    expect(passesWithoutTake(song, [{ ...stored, closing: null }])).toEqual([]);
  });

  it('is left alone where look-back holds it', () => {
    const header = { ...stored.header, from: KEPT_FROM };
    expect(passesWithoutTake(song, [{ ...stored, header }])).toEqual([]);
  });

  it('is left alone where nothing was played in it', () => {
    const empty = closedWhereCutOff(kept([]));
    expect(passesWithoutTake(song, [{ ...kept([]), closing: empty.layer.closing }])).toEqual([]);
  });
});
