export type StationId = 'desk' | 'line-check' | 'play' | 'pick' | 'tidy' | 'hand-over';

/** The stations in the order of the work, each with its key; digits alone are bars. */
export const STATIONS: readonly { readonly id: StationId; readonly name: string; readonly key: string }[] = [
  { id: 'desk', name: 'Desk', key: 'shift+1' },
  { id: 'line-check', name: 'Line check', key: 'shift+2' },
  { id: 'play', name: 'Play', key: 'shift+3' },
  { id: 'pick', name: 'Pick', key: 'shift+4' },
  { id: 'tidy', name: 'Tidy', key: 'shift+5' },
  { id: 'hand-over', name: 'Hand over', key: 'shift+6' },
];

/** Desk and Line check need no song. */
export const needsSong = (id: StationId): boolean => id !== 'desk' && id !== 'line-check';

export function stationPath(id: StationId, songId: string | null): string {
  if (id === 'desk' || (!songId && needsSong(id))) return '/';
  return songId ? `/songs/${encodeURIComponent(songId)}/${id}` : `/${id}`;
}

/** The name of the station at a path. */
export function stationName(path: string): string {
  if (path.endsWith('/set-up')) return 'Set up';
  return STATIONS.find(({ id }) => path.endsWith(`/${id}`))?.name ?? 'Desk';
}
