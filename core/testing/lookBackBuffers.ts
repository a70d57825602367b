/** Song and buffered events for tests of look-back. */
import { newSong } from '../document/document';
import { mapsOf } from '../document/maps';
import { EMPTY_BUFFER, type BufferedEvent, type LookBackBuffer, type Roll } from '../lookback/buffer';
import { passagesIn } from '../lookback/passages';
import type { KeepFacts } from '../lookback/keep';
import { EVERYTHING } from '../recording/inputRoutes';

export const song = { ...newSong('x', 'piano'), bars: 40, tempo: [{ tick: 0, bpm: 120 }] };

export const maps = mapsOf(song);

export const HEARS = { id: 1, song: 's', parts: [{ part: 'piano', ear: EVERYTHING }] };

export const roll = (over: Partial<Roll> = {}): Roll => ({
  id: 'r',
  song: 's',
  tempo: song.tempo,
  loop: null,
  latency: { output: 0, input: 0 },
  speed: 1,
  ...over,
});

export const event = (
  seq: number,
  wall: number,
  key: number,
  on = true,
  at: number | null = null,
  over: Partial<BufferedEvent> = {},
): BufferedEvent => ({
  seq,
  wall,
  port: 'x',
  message: on ? { type: 'noteOn', key, velocity: 80 } : { type: 'noteOff', key, velocity: 64 },
  listening: 1,
  place: at === null ? null : { roll: 'r', at },
  ...over,
});

export const bufferOf = (events: BufferedEvent[], over: Partial<LookBackBuffer> = {}): LookBackBuffer => ({
  ...EMPTY_BUFFER,
  events,
  rolls: new Map([['r', roll()]]),
  listenings: new Map([[1, HEARS]]),
  ...over,
});

export const facts = (of: LookBackBuffer, index = -1, over: Partial<KeepFacts> = {}): KeepFacts => {
  let n = 0;
  return {
    passage: passagesIn(of, () => true).at(index)!,
    before: [],
    listenings: of.listenings,
    maps,
    tempo: song.tempo,
    placements: new Map([['piano', { policy: 'heard', nudge: 0 }]]),
    mode: 'new take',
    laps: 'a new take each',
    early: 240,
    gap: 960,
    newId: () => `id ${n++}`,
    at: '2026-01-01T00:00:00.000Z',
    ...over,
  };
};
