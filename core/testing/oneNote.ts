/** Songs whose takes have one note each, and recording them by commands. */
import { newSong, type SongDocument } from '../document/document';
import { change, type Command } from '../song/changes';
import type { Layer } from '../takes/layer';
import { header } from './arbitraries';

export const plain: SongDocument = { ...newSong('x', 'piano'), bars: 8 };

const range = { from: 0, to: 15_360 };

export const layer = (id: string, over: Partial<Layer['header']> = {}): Layer => ({
  header: header({ id, partId: 'piano', takeId: `take ${id}`, passId: `pass ${id}`, planned: range, ...over }),
  closing: { range, clears: [] },
  events: [
    { at: 0.5, message: { type: 'noteOn', key: 60, velocity: 80 } },
    { at: 0.9, message: { type: 'noteOff', key: 60, velocity: 64 } },
  ],
});

export const record = (l: Layer, mode: 'new take' | 'merge' = 'new take'): Command => ({
  type: 'record',
  at: '',
  result: { passId: l.header.passId, mode, layers: [{ header: l.header, closing: l.closing, notes: 1 }] },
});

export const does = (song: SongDocument, ...commands: Command[]): SongDocument =>
  commands.reduce((doc, command) => change(doc, command).document, song);
