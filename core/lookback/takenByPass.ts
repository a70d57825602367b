import { shiftOf } from '../placement/place';
import { admits } from '../recording/inputRoutes';
import type { PassResult } from '../recording/state';
import { secondsAt, tempoMap } from '../time/tempo';
import { keysDown, type BufferedEvent, type LookBackBuffer, type Passage } from './buffer';

/** Taking by a pass, or one lap: the events of its range that its parts heard. */
export function takenBy(
  { frame = 0, layers }: PassResult,
  rollId: string | undefined,
  events: readonly BufferedEvent[],
  listenings: LookBackBuffer['listenings'],
): BufferedEvent[] {
  const own = layers
    .filter((l) => l.notes > 0 || l.touched)
    .map(({ header, closing }) => {
      const map = tempoMap(header.tempo);
      const shift = shiftOf(header.placement, header.latency) * (header.speed ?? 1);
      return {
        part: header.partId,
        from: secondsAt(map, closing.range.from - header.early) + frame - shift,
        to: secondsAt(map, closing.range.to) + frame - shift,
      };
    });
  return events.filter(({ place, listening, port, message }) => {
    if (!place || place.roll !== rollId) return false;
    return own.some(({ part, from, to }) => {
      const route = listenings.get(listening)?.parts.find((p) => p.part === part)?.ear;
      return place.at >= from && place.at < to && route !== undefined && admits(route, port, message);
    });
  });
}

/** Passages with the releases that came since of keys that were down at the end of the last one. */
export function withReleases(all: readonly Passage[], events: readonly BufferedEvent[]): readonly Passage[] {
  const last = all.at(-1);
  if (!last) return all;
  const down = new Set(keysDown(last.events));
  const seqOfLast = last.events.at(-1)!.seq;
  const since = events.slice(events.findLastIndex((e) => e.seq <= seqOfLast) + 1);
  const come = since.filter(
    ({ port, message, place }) =>
      message.type === 'noteOff' && place?.roll === last.roll?.id && down.delete(`${port} ${message.key}`),
  );
  return come.length ? [...all.slice(0, -1), { ...last, events: [...last.events, ...come] }] : all;
}

/** Test for keys that are still down at the end of some passages. */
export const anyKeyDown = (all: readonly Passage[]): boolean => keysDown(all.at(-1)?.events ?? []).size > 0;
