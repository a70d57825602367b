import type { Packed } from '../core/takes/packed';
import type { LayerFacts, StoredLayer } from '../server/store/layers';
import type { StoredSong } from '../server/store/songs';
import type { Recording } from '../core/takes/sound';
import type { Stacks } from '../core/song/history';

/** Server's answer when a song is opened. */
export type OpenedSong = StoredSong & {
  readonly layers: readonly StoredLayer[];
  readonly recordings: readonly Recording[];
  readonly stacks: Stacks;
};

/** The same in its binary form. */
export type SentSong = Omit<OpenedSong, 'layers'> & { readonly layers: readonly Packed<LayerFacts>[] };
