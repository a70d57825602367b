import { expect, it } from 'vitest';
import { SHIPPED_FEELS } from '../timing/feel';
import { readFeel, writeFeel } from './feelFile';
import { writeMidiFile } from './smf';

it('a feel comes back from its file as it was', () => {
  for (const feel of SHIPPED_FEELS) expect(readFeel(writeFeel(feel), 'x')).toEqual(feel);
  const odd = { name: 'Five', bar: 1200, places: [{ at: 320, ms: -12.5, touch: -9 }] };
  expect(readFeel(writeFeel(odd), 'x')).toEqual(odd);
});

it('any file that has notes has a feel', () => {
  const played = [0, 480, 960, 1440].flatMap((at, i) => [
    { at: at + 3840 + (i % 2) * 20, message: { type: 'noteOn' as const, key: 60, velocity: i % 2 ? 50 : 90 } },
    { at: at + 3840 + 200, message: { type: 'noteOff' as const, key: 60, velocity: 0 } },
  ]);
  const bytes = writeMidiFile({
    ...{ title: 'Loose', tempo: [{ tick: 0, bpm: 125 }], meter: [{ bar: 1, beats: 4, unit: 4 }], markers: [] },
    ...{ end: 7680, tracks: [{ name: 'Keys', channel: 0, events: played }] },
  });
  const feel = readFeel(bytes, 'x');
  expect(feel.places.map((p) => [p.at, Math.round(p.ms), Math.round(p.touch)])).toEqual([
    [0, 0, 20],
    [480, 10, -20],
    [960, 0, 20],
    [1440, 10, -20],
  ]);
});

it('one without notes says so', () => {
  const bytes = writeMidiFile({
    ...{ title: '', tempo: [{ tick: 0, bpm: 125 }], meter: [{ bar: 1, beats: 4, unit: 4 }], markers: [] },
    ...{ end: 7680, tracks: [] },
  });
  expect(() => readFeel(bytes, 'x')).toThrow('no notes');
});
