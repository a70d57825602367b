import { expect, it } from 'vitest';
import { readMidiFile, writeMidiFile } from '../files/smf';
import { header } from '../testing/arbitraries';
import type { LayerEvent } from '../takes/layer';
import { midiOfLayers } from './rescue';

it('notes whose song is not to be had are a file of their own, where they were played', () => {
  const at = (seconds: number, type: 'noteOn' | 'noteOff', key: number): LayerEvent => ({
    at: seconds,
    message: type === 'noteOn' ? { type, key, velocity: 80 } : { type, key, velocity: 64 },
  });
  const tempo = [{ tick: 0, bpm: 120 }];
  const events = [at(4, 'noteOn', 60), at(4.5, 'noteOff', 60), at(400, 'noteOn', 64), at(401, 'noteOff', 64)];
  const range = { from: 0, to: 1e6 };
  const read = readMidiFile(writeMidiFile(midiOfLayers([{ header: header({ tempo, planned: range }), events }])));
  expect(read.tempo[0]?.bpm).toBe(120);
  const struck = read.tracks.flatMap((t) =>
    t.events.flatMap(({ at: tick, message }) =>
      message.type === 'noteOn' ? [[message.key, Math.round(tick / 960) / 2]] : [],
    ),
  );
  expect(struck).toEqual([
    [60, 4],
    [64, 400],
  ]);
  const [of, other] = [header({ tempo, planned: range }), header({ tempo, planned: range, id: 'b', partId: 'bass' })];
  const laps = midiOfLayers([
    { header: of, events },
    { header: of, events: [] },
    { header: other, events: [at(400, 'noteOn', 40)] },
  ]);
  const notes = laps.tracks.map((t) => t.events.filter((e) => e.message.type === 'noteOn').length);
  expect(notes.filter((n) => n > 0)).toEqual([2, 1]);
});
