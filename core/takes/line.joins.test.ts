import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { header, layerEvents } from '../testing/arbitraries';
import { soundingEnds, type Reading } from '../performance/notes';
import { change } from '../song/changes';
import { newSong, type SongDocument } from '../document/document';
import { readPart, takeReader } from '../reading/reading';
import { clearedFrom, readTake } from './take';
import { readLayer, type Layer, type LayerEvent } from './layer';
import { belongsTo, meansPlace } from '../performance/intendedPlace';
import { pick, readComp } from './line';
import { on, off, pedal, range, layer, replacing, HEARD } from '../testing/layers';
import { real } from '../testing/realNumbers';

const ends = (reading: Reading) => {
  const all = soundingEnds(reading);
  return reading.notes.map((n) => all.get(n.id)! / 960);
};

describe('a pedal that both sides hold', () => {
  it('stays down where a merge ends and where it crosses a join', () => {
    const under = layer('old', 0, 16, [pedal(1, true), on(6), off(6.5), pedal(12, false)]);
    const merged = layer('new', 4, 8, [pedal(5, true)]);
    expect(ends(readTake([under, merged], HEARD))).toEqual([12]);
    // The merge lies over a join at 8, and both takes have it.
    const other = layer('other', 0, 16, []);
    const over = layer('new', 4, 12, [pedal(5, true), on(6), off(6.5), pedal(11, false)]);
    const a = readTake([layer('a', 0, 16, []), { layer: over, windows: [range(4, 8)] }], HEARD);
    const b = readTake([other, { layer: over, windows: [range(8, 12)] }], HEARD);
    const comp = [
      { ...range(0, 8), takeId: 'a' },
      { ...range(8, 16), takeId: 'b' },
    ];
    const line = readComp(
      comp,
      (id) => (id === 'a' ? a : b),
      () => Infinity,
    );
    expect(ends(line)).toEqual([11]);
  });
});

describe('a note merged over a join', () => {
  it('rings up to where a later pass cleared it in the take that follows', () => {
    const other = layer('other', 0, 16, []);
    const over = layer('over', 4, 12, [on(5), off(11)]);
    const later = layer('later', 9, 10, [], { clears: [range(9, 10)] });
    const stack = [{ layer: other }, { layer: over, windows: [range(8, 12)] }, { layer: later }];
    expect(clearedFrom(stack, 'over', 8 * 960)).toBe(9 * 960);
    expect(clearedFrom(stack, 'over', 10 * 960)).toBe(Infinity);
    const a = readTake([{ layer: over, windows: [range(4, 8)] }], HEARD);
    const b = readTake(stack, HEARD);
    const line = readComp(
      [
        { ...range(0, 8), takeId: 'a' },
        { ...range(8, 16), takeId: 'b' },
      ],
      (id) => (id === 'a' ? a : b),
      (_, before) => clearedFrom(stack, 'over', before.to),
    );
    expect(line.notes.map((n) => [n.start / 960, n.end / 960])).toEqual([[5, 9]]);
  });
});

describe('a note that rings beyond its recording', () => {
  const song = (): { song: SongDocument; layers: Map<string, Layer> } => {
    const layers = new Map<string, Layer>();
    const record = (doc: SongDocument, l: Layer, mode: 'new take' | 'replace') => {
      layers.set(l.header.id, l);
      return change(doc, {
        type: 'record',
        at: '',
        result: { passId: l.header.passId, mode, layers: [{ header: l.header, closing: l.closing, notes: 1 }] },
      }).document;
    };
    let doc: SongDocument = { ...newSong('x', 'piano'), bars: 8 };
    doc = record(doc, layer('a', 0, 16, []), 'new take');
    doc = record(doc, layer('b', 8, 16, []), 'new take');
    doc = record(doc, replacing('c', 4, 8, [on(7, 72), off(9, 72)], { rings: 12 * 960 }), 'replace');
    return { song: doc, layers };
  };

  it('is cut by no join from there on, whatever else its take holds', () => {
    const { song: doc, layers } = song();
    const line = readPart(doc.parts[0]!, takeReader(layers, []));
    expect(line.notes.map((n) => [n.key, n.end / 960])).toEqual([[72, 9]]);
    // The take grows elsewhere, and it rings all the same.
    const part = doc.parts[0]!;
    const grown = { ...part, takes: part.takes.map((t) => ({ ...t, to: 40 * 960 })) };
    expect(readPart(grown, takeReader(layers, [])).notes.map((n) => n.end / 960)).toEqual([9]);
    // A join within what was recorded cuts it.
    const joined = { ...part, comp: pick(part.comp, { ...range(7.5, 16), takeId: 'take b' }) };
    expect(readPart(joined, takeReader(layers, [])).notes.map((n) => n.end / 960)).toEqual([7.5]);
  });
});

describe('a note a little ahead of a join', () => {
  const take = (id: string, events: LayerEvent[]): Reading => readTake([layer(id, 0, 16, events)], HEARD);
  const early = 29 / 960;

  it('belongs to the range whose first beat it means: it is neither lost nor a blip of the other take', () => {
    const a = take('a', [on(8 - early), off(9)]);
    const b = take('b', [on(8 - early, 64), off(9, 64)]);
    const comp = [
      { ...range(0, 8), takeId: 'a' },
      { ...range(8, 16), takeId: 'b' },
    ];
    const line = readComp(comp, (id) => (id === 'a' ? a : b));
    expect(line.notes.map((n) => [n.key, Math.round(n.start), n.end / 960])).toEqual([[64, 8 * 960 - 29, 9]]);
  });

  it('ends what the take before holds of its key, and a run that ends there is left as it is', () => {
    const a = take('a', [on(6), off(9), on(7.9, 62), off(7.97, 62)]);
    const b = take('b', [on(8 - early), off(9)]);
    const comp = [
      { ...range(0, 8), takeId: 'a' },
      { ...range(8, 16), takeId: 'b' },
    ];
    const line = readComp(comp, (id) => (id === 'a' ? a : b));
    expect(line.notes.map((n) => [n.key, Math.round(n.start), Math.round(n.end)])).toEqual([
      [60, 5760, 7680 - 29],
      [62, 7584, 7651],
      [60, 7680 - 29, 8640],
    ]);
    expect(meansPlace({ start: 7584, end: 7651 }, 7680)).toBe(false);
  });

  it('is heard once, whoever is picked on either side: every note of a take belongs to one range of it', () => {
    fc.assert(
      fc.property(layerEvents(0, 16), fc.array(fc.integer({ min: 1, max: 31 }), { maxLength: 5 }), (events, cuts) => {
        const reading = readTake(
          [{ header: header(), events, closing: { range: { from: 0, to: 40_000 }, clears: [] } }],
          HEARD,
        );
        const places = [0, ...[...new Set(cuts)].sort((x, y) => x - y).map((c) => c * 960), 40_000];
        for (const note of reading.notes) {
          const found = places
            .slice(1)
            .filter((to, i) => belongsTo(note, { from: places[i]!, to }, i + 2 < places.length));
          expect(found).toHaveLength(1);
        }
        // The same take on both sides of every join is the take.
        const comp = places.slice(1).map((to, i) => ({ from: places[i]!, to, takeId: `t${i}` }));
        const line = readComp(
          comp,
          () => reading,
          () => Infinity,
        );
        expect(line.notes.map((n) => n.id).sort()).toEqual(reading.notes.map((n) => n.id).sort());
      }),
    );
  });
});

describe('an early staccato note', () => {
  it('keeps the length it was played with, from the punch-in on', () => {
    const punched = layer('in', 4, 8, [on(3.9), off(3.95), on(3.95, 64), off(5, 64)]);
    expect(readLayer(punched, HEARD).notes.map((n) => [n.key, Math.round(n.start), Math.round(n.end)])).toEqual([
      [60, 3840, 3840 + 48],
      [64, 3840, 4800],
    ]);
  });
});

describe('places', () => {
  it('in a comp are whole ticks, and no piece is shorter than one', () => {
    const piece = fc.record({
      from: real(0, 50),
      length: real(0, 30),
      takeId: fc.constantFrom('a', 'b', 'c'),
    });
    fc.assert(
      fc.property(fc.array(piece, { maxLength: 12 }), (pieces) => {
        const comp = pieces.reduce<ReturnType<typeof pick>>(
          (done, { from, length, takeId }) => pick(done, { from, to: from + length, takeId }),
          [],
        );
        comp.forEach((p, i) => {
          expect(Number.isInteger(p.from) && Number.isInteger(p.to)).toBe(true);
          expect(p.to - p.from).toBeGreaterThanOrEqual(1);
          if (i > 0) expect(p.from).toBeGreaterThanOrEqual(comp[i - 1]!.to);
        });
      }),
    );
  });
});
