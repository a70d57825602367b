import type { SongDocument } from '../document/document';
import type { SongMaps } from '../document/maps';
import type { Part } from '../document/part';
import type { TakeEdits } from '../editing/notes';
import type { Command } from '../song/changes';
import type { Reader } from '../reading/reading';
import type { SoundRange } from '../reading/sound';
import type { SoundedRange } from '../reading/soundedAgain';
import type { Ticks } from '../time/units';
import type { TreatedReading } from '../timing/treatment';

/** Kinds of checks before a delivery. */
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
/** Station where the finding can be looked at and repaired by hand. */
export type CheckStation = 'play' | 'pick' | 'tidy' | 'set-up' | 'line-check' | 'hand-over';

/** Finding: something a client would notice. */
export interface Check {
  readonly kind: CheckKind;
  /** Text that changes with the finding: an acceptance counts as long as it stays the same. */
  readonly fingerprint: string;
  readonly part: string | null;
  /** Place in the song, for one that has a place. */
  readonly at: Ticks | null;
  readonly words: string;
  readonly station: CheckStation;
  /** Safe repair by one press, which Undo takes back. */
  readonly mend: { readonly words: string; readonly command: Command } | null;
}

/** Finding without its part, but with its subject. */
export type Found = Omit<Check, 'fingerprint' | 'part'> & { readonly about: unknown };

/** Part under examination, with everything that several checks read of it. */
export interface Looked {
  readonly part: Part;
  /** Ranges in which it is heard as recorded, and where its line was sounded again. */
  readonly sounds: readonly SoundRange[];
  readonly again: readonly SoundedRange[];
  readonly line: TreatedReading;
  readonly reader: Reader;
  readonly song: SongDocument;
  readonly maps: SongMaps;
}

/** Repair by a hand edit, as its command. */
export const edits = (part: Part, what: string, takes: readonly TakeEdits[]): Command => ({
  type: 'edit takes',
  part: part.id,
  what,
  takes: takes.map(({ take, edits: own }) => ({ take, edits: [...own] })),
});
