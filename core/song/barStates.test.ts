import { describe, expect, it } from 'vitest';
import { header } from '../testing/arbitraries';
import type { Layer } from '../takes/layer';
import { change, type Command } from './changes';
import { patched } from './history';
import { copySong } from './copy';
import { newSong, songSchema, type SongDocument } from '../document/document';
import type { Edit } from '../takes/edits';
import { handedOver } from '../testing/handed';
import { barStates } from './barStates';

const plain: SongDocument = { ...newSong('x', 'piano'), bars: 8 };

const range = { from: 0, to: 15_360 };

const layer = (id: string, over: Partial<Layer['header']> = {}): Layer => ({
  header: header({ id, partId: 'piano', takeId: `take ${id}`, passId: `pass ${id}`, planned: range, ...over }),
  closing: { range, clears: [] },
  events: [
    { at: 0.5, message: { type: 'noteOn', key: 60, velocity: 80 } },
    { at: 0.9, message: { type: 'noteOff', key: 60, velocity: 64 } },
  ],
});

const record = (l: Layer, mode: 'new take' | 'merge' = 'new take'): Command => ({
  type: 'record',
  at: '',
  result: { passId: l.header.passId, mode, layers: [{ header: l.header, closing: l.closing, notes: 1 }] },
});

const does = (song: SongDocument, ...commands: Command[]): SongDocument =>
  commands.reduce((doc, command) => change(doc, command).document, song);

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
    expect(handed(back, [a, b, c])).toBe('inked');
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
    expect(barStates(now.parts[0]!, map([two]), now).slice(0, 3)).toEqual(['handed over', 'inked', 'empty']);
  });

  it('is still that in a copy of the song, with a muted layer', () => {
    const muted = does(given, { type: 'mute layer', part: 'piano', take: 'take a', layer: 'b', muted: true });
    expect(handed(muted, [a, b])).toBe('inked');
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
