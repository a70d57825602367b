export type StationId = 'desk' | 'line-check' | 'play' | 'pick' | 'tidy' | 'hand-over';

/** Stations in the order of work, with their keys. Digits alone select bars. */
export const STATIONS: readonly { readonly id: StationId; readonly name: string; readonly key: string }[] = [
  { id: 'desk', name: 'Desk', key: 'shift+1' },
  { id: 'line-check', name: 'Line check', key: 'shift+2' },
  { id: 'play', name: 'Play', key: 'shift+3' },
  { id: 'pick', name: 'Pick', key: 'shift+4' },
  { id: 'tidy', name: 'Tidy', key: 'shift+5' },
  { id: 'hand-over', name: 'Hand over', key: 'shift+6' },
];

/** Test for a station that needs a song; Desk and Line check do not. */
export const needsSong = (id: StationId): boolean => id !== 'desk' && id !== 'line-check';

export function stationPath(id: StationId, songId: string | null): string {
  if (id === 'desk' || (!songId && needsSong(id))) return '/';
  return songId ? `/songs/${encodeURIComponent(songId)}/${id}` : `/${id}`;
}

/** Name of the station at a path. */
export function stationName(path: string): string {
  if (path.endsWith('/set-up')) return 'Set up';
  return STATIONS.find(({ id }) => path.endsWith(`/${id}`))?.name ?? 'Desk';
}
