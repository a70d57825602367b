import { describe, expect, it } from 'vitest';
import { header } from '../testing/arbitraries';
import type { Layer } from '../takes/layer';
import { change, type Command } from './changes';
import { patched } from './history';
import { copySong } from './copy';
import { newSong, type SongDocument } from '../document/document';
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
  const given = does(plain, record(a), record({ ...b, header: { ...b.header, takeId: 'take a' } }, 'merge'), {
    type: 'hand over',
    parts: ['piano'],
    at: '',
  });

  it('is no longer that when a merge is undone and another is made in its place', () => {
    expect(handed(given, [a, b, c])).toBe('handed over');
    const undone = change(does(plain, record(a)), record(b, 'merge'));
    const back = {
      ...patched(undone.document, undone.inverse),
      parts: [{ ...patched(undone.document, undone.inverse).parts[0]!, handed: given.parts[0]!.handed }],
    };
    expect(handed(does(back, record(c, 'merge')), [a, b, c])).toBe('inked');
  });

  it('is still that in a copy of the song, with a muted layer', () => {
    const muted = does(
      given,
      { type: 'mute layer', part: 'piano', take: 'take a', layer: 'b', muted: true },
      { type: 'hand over', parts: ['piano'], at: '' },
    );
    expect(handed(muted, [a, b])).toBe('handed over');
    let n = 0;
    const copy = copySong(muted, [a, b], 'y', () => `copy ${n++}`);
    expect(handed(copy.document, copy.layers)).toBe('handed over');
  });
});
