import type { KeyMessage } from '../performance/messages';
import type { Part } from '../document/part';
import type { SongDocument } from '../document/document';

/** Input route of an armed part: the keyboard and the keys whose messages it records. */
export interface InputRoute {
  /** A port's id, or null for any. */
  readonly keyboard: string | null;
  /** Lowest key that is recorded; `high` is the highest. Pedals and wheels are recorded whatever the keys. */
  readonly low: number;
  readonly high: number;
}

export const EVERYTHING: InputRoute = { keyboard: null, low: 0, high: 127 };

/**
 * Test for a message from a port that belongs to this route. A note's release has the key of its start, so both are
 * recorded or neither.
 */
export const admits = (route: InputRoute, port: string, message: KeyMessage): boolean =>
  (route.keyboard === null || route.keyboard === port) &&
  (!('key' in message) || (message.key >= route.low && message.key <= route.high));

export interface Listener {
  readonly part: Part;
  readonly route: InputRoute;
}

/** Armed parts, the brief's own first. Each part counts once, and parts that are no longer in the song do not. */
export function listenersOf({ parts, brief }: Pick<SongDocument, 'parts' | 'brief'>): Listener[] {
  const wanted = [
    ...(brief.part === null ? [] : [{ part: brief.part, keyboard: brief.keyboard, ...brief.keys }]),
    ...brief.also,
  ];
  const seen = new Set<string>();
  return wanted.flatMap(({ part: id, keyboard, low, high }) => {
    const part = parts.find((p) => p.id === id);
    if (!part || seen.has(id)) return [];
    seen.add(id);
    return [{ part, route: { keyboard, low, high } }];
  });
}

/** Brief after a part was disarmed: the next armed part becomes the brief's own. */
export function withoutListener(brief: SongDocument['brief'], partId: string): Partial<SongDocument['brief']> {
  const also = brief.also.filter((a) => a.part !== partId);
  if (brief.part !== partId) return { also };
  const [next, ...rest] = also;
  if (!next) return { part: null };
  return { part: next.part, keyboard: next.keyboard, keys: { low: next.low, high: next.high }, also: rest };
}
