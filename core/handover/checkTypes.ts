import type { SongDocument } from '../document/document';
import type { SongMaps } from '../document/maps';
import type { Part } from '../document/part';
import type { TakeEdits } from '../editing/notes';
import type { Command } from '../song/changes';
import type { Reader } from '../song/reading';
import type { SoundRange } from '../song/sound';
import type { SoundedRange } from '../song/soundedAgain';
import type { Ticks } from '../time/units';
import type { TreatedReading } from '../timing/treatment';

/** Kinds of checks before anything goes out. */
export type CheckKind =
  | 'silent'
  | 'hanging'
  | 'doubled'
  | 'outside'
  | 'cut'
  | 'not at rest'
  | 'not played'
  | 'join'
  | 'ear'
  | 'pedal held'
  | 'turned down'
  | 'no sound'
  | 'sound stays'
  | 'another tempo'
  | 'off every line'
  | 'take marked no'
  | 'never measured'
  | 'one name'
  | 'backing longer'
  | 'client note'
  | 'clipped';
/** Station at which a thing is looked at and put right by hand. */
export type CheckStation = 'play' | 'pick' | 'tidy' | 'set-up' | 'line-check' | 'hand-over';

/** Something a client would stumble over. */
export interface Check {
  readonly kind: CheckKind;
  /** Changes whenever what was found does: a check that was waved through counts as long as it stays the same. */
  readonly fingerprint: string;
  readonly part: string | null;
  /** Place in the song, for one that has a place. */
  readonly at: Ticks | null;
  readonly words: string;
  readonly station: CheckStation;
  /** Mend by one press, where nothing can go wrong with it. Undo takes it back. */
  readonly mend: { readonly words: string; readonly command: Command } | null;
}

/** The same before it is known of which part, with what it is about. */
export type Found = Omit<Check, 'fingerprint' | 'part'> & { readonly about: unknown };

/** A part that is looked at, with what is read of it once for all checks. */
export interface Looked {
  readonly part: Part;
  /** Ranges of its takes' recorded sound that it is heard as, and where its line was sounded again. */
  readonly sounds: readonly SoundRange[];
  readonly again: readonly SoundedRange[];
  readonly line: TreatedReading;
  readonly reader: Reader;
  readonly song: SongDocument;
  readonly maps: SongMaps;
}

/** A change by hand that mends something, as the command for it. */
export const edits = (part: Part, what: string, takes: readonly TakeEdits[]): Command => ({
  type: 'edit takes',
  part: part.id,
  what,
  takes: takes.map(({ take, edits: own }) => ({ take, edits: [...own] })),
});
