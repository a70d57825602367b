import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { mapsOf } from '../document/maps';
import { seeded } from '../random';
import { barAt } from '../time/meter';
import type { Layer } from '../takes/layer';
import { change } from '../song/changes';
import { patched } from '../song/history';
import { copySong } from '../song/copy';
import { songSchema, type SongDocument } from '../document/document';
import type { Edit } from '../takes/edits';
import { handedOver } from '../testing/handed';
import { barStates } from './barStates';
import { lineOf, readerOf } from './reading';
import { does, layer, plain, record } from '../testing/oneNote';

describe('what was handed over', () => {
  const handed = (song: SongDocument, all: readonly Layer[]) =>
    barStates(song.parts[0]!, new Map(all.map((l) => [l.header.id, l])), song)[0];
  const [a, b, c] = [layer('a'), layer('b'), layer('c')];
  const map = (all: readonly Layer[]) => new Map(all.map((l) => [l.header.id, l]));
  const given = handedOver(
    does(plain, record(a), record({ ...b, header: { ...b.header, takeId: 'take a' } }, 'merge')),
    map([a, b]),
  );

  it('is still that when what sounds is the same, however it came about', () => {
    expect(handed(given, [a, b, c])).toBe('handed over');
    const undone = change(does(plain, record(a)), record(b, 'merge'));
    const back = {
      ...patched(undone.document, undone.inverse),
      parts: [{ ...patched(undone.document, undone.inverse).parts[0]!, handed: given.parts[0]!.handed }],
    };
    expect(handed(back, [a, b, c])).toBe('picked');
    expect(handed(does(back, record(c, 'merge')), [a, b, c])).toBe('handed over');
  });

  it('changes in the bar that is changed, and in no other', () => {
    const two: Layer = {
      ...a,
      events: [
        ...a.events,
        { at: 3, message: { type: 'noteOn', key: 64, velocity: 80 } },
        { at: 3.5, message: { type: 'noteOff', key: 64, velocity: 64 } },
      ],
    };
    const song = handedOver(does(plain, record(two)), map([two]));
    const take = song.parts[0]!.takes[0]!;
    const edits: Edit[] = [{ op: 'move', notes: { a: '1' }, by: 240, keys: 0 }];
    const now = does(song, { type: 'edit takes', part: 'piano', what: 'moving', takes: [{ take: take.id, edits }] });
    expect(barStates(now.parts[0]!, map([two]), now).slice(0, 3)).toEqual(['handed over', 'picked', 'empty']);
  });

  it('is still that in a copy of the song, with a muted layer', () => {
    const muted = does(given, { type: 'mute layer', part: 'piano', take: 'take a', layer: 'b', muted: true });
    expect(handed(muted, [a, b])).toBe('picked');
    const again = handedOver(muted, map([a, b]));
    let n = 0;
    const copy = copySong(again, [a, b], 'y', () => `copy ${n++}`);
    expect(handed(copy.document, copy.layers)).toBe('handed over');
  });

  it('reads a song that was handed over before versions were kept, as not handed over', () => {
    const former = { at: '', comp: [], treatments: [], takes: {} };
    const stored = { ...given, parts: [{ ...given.parts[0]!, handed: former }] };
    expect(songSchema.parse(JSON.parse(JSON.stringify(stored))).parts[0]!.handed).toBeNull();
  });
});

describe('bars that were played and are not heard', () => {
  /** Every take read, whether or not it can say more. */
  const pencilledOf = (song: SongDocument, layers: ReadonlyMap<string, Layer>): number[] => {
    const { read } = readerOf(layers, song.clocks);
    const { meter } = mapsOf(song);
    const bars = (notes: readonly { readonly start: number }[]) =>
      new Set(notes.map((n) => Math.max(1, barAt(meter, n.start))));
    const part = song.parts[0]!;
    const heard = bars(lineOf(part, read, mapsOf(song)).notes);
    const played = new Set(part.takes.flatMap((take) => [...bars(read(take).notes)]));
    return Array.from({ length: song.bars }, (_, i) => i + 1).filter((bar) => played.has(bar) && !heard.has(bar));
  };

  it('are the same whether all takes are read or only those that can say more', () => {
    fc.assert(
      fc.property(fc.integer(), (seed) => {
        const random = seeded(seed);
        const all = new Map<string, Layer>();
        let song = plain;
        for (let n = 0; n < 6; n += 1) {
          const from = 3840 * random.integer(0, 6);
          const own = { from, to: Math.min(8 * 3840, from + 3840 * random.integer(1, 3)) };
          const made = layer(`l${n}`, { planned: own });
          const at = own.from / 1920 + random.unit() * 5;
          const events = [0, 1, 2].flatMap((i): Layer['events'] => [
            { at: at + i, message: { type: 'noteOn', key: 60 + i, velocity: 80 } },
            { at: at + i + 0.3, message: { type: 'noteOff', key: 60 + i, velocity: 64 } },
          ]);
          const closed = { ...made, closing: { range: own, clears: [] }, events };
          all.set(made.header.id, closed);
          song = does(song, record(closed));
          const take = song.parts[0]!.takes.at(-1)!;
          if (random.unit() < 0.3) {
            const edits: Edit[] = [
              { op: 'move', notes: { [made.header.id]: '0-2' }, by: 3840 * random.integer(-2, 4), keys: 0 },
            ];
            song = does(song, { type: 'edit takes', part: 'piano', what: 'moving', takes: [{ take: take.id, edits }] });
          }
          if (random.unit() < 0.3) {
            const tempo = [{ tick: 0, bpm: random.integer(60, 200) }];
            song = does(song, { type: 'set tempo', retiming: { tempo, takes: 'recording' } });
          }
          const part = song.parts[0]!;
          if (random.unit() < 0.5)
            song = { ...song, parts: [{ ...part, comp: part.comp.filter(() => random.unit() < 0.6) }] };
        }
        const states = barStates(song.parts[0]!, all, song);
        expect(states.flatMap((s, i) => (s === 'recorded' ? [i + 1] : []))).toEqual(pencilledOf(song, all));
      }),
    );
  });
});
