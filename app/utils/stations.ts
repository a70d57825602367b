export type StationId = 'desk' | 'play' | 'tidy' | 'hand-over';

/** The stations that are built, in the order of the work. */
export const STATIONS: readonly { readonly id: StationId; readonly name: string }[] = [
  { id: 'desk', name: 'Desk' },
  { id: 'play', name: 'Play' },
  { id: 'tidy', name: 'Tidy' },
  { id: 'hand-over', name: 'Hand over' },
];

export const stationPath = (id: StationId, songId: string | null): string =>
  (id === 'desk' || !songId ? '/' : `/songs/${encodeURIComponent(songId)}/${id}`);
