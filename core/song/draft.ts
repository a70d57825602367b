import type { Draft } from 'immer';
import type { Backing } from '../document/backing';
import type { SongDocument } from '../document/document';
import type { Part } from '../document/part';
import type { Take } from '../document/take';

/** Song while a command changes it. */
export type SongDraft = Draft<SongDocument>;

/** Error of a command that names something the song does not have. Its message is meant for the screen. */
export class UnknownThing extends Error {}

/** @throws UnknownThing */
export function partOf(draft: SongDraft, id: string): Draft<Part> {
  const part = draft.parts.find((p) => p.id === id);
  if (!part) throw new UnknownThing('That part is no longer in the song.');
  return part as Draft<Part>;
}

/** @throws UnknownThing */
export function takeOf(part: Draft<Part>, id: string): Draft<Take> {
  const take = part.takes.find((t) => t.id === id);
  if (!take) throw new UnknownThing('That take is no longer in the song.');
  return take;
}

/** @throws UnknownThing */
export function backingOf(draft: SongDraft, id: string): Draft<Backing> {
  const backing = draft.backings.find((b) => b.id === id);
  if (!backing) throw new UnknownThing('That backing is no longer in the song.');
  return backing as Draft<Backing>;
}
