import type { StoredLayer } from '../server/store/layers';
import type { StoredSong } from '../server/store/songs';
import type { HistoryRow } from '../core/song/history';

/** What the server answers when a song is opened. */
export type OpenedSong = StoredSong & {
  readonly layers: readonly StoredLayer[];
  readonly history: readonly HistoryRow[];
};
