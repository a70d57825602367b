import type { SongDocument } from './document';

type Sounding = Pick<SongDocument['parts'][number], 'muted' | 'solo'>;
type Mixed = { readonly parts: readonly Sounding[]; readonly backings: readonly Sounding[] };

/** Test for anything on solo: then only what is on solo sounds. */
export const anySolo = ({ parts, backings }: Mixed): boolean => [...parts, ...backings].some((thing) => thing.solo);

/**
 * Test for a part or a backing that sounds, by mute and solo.
 * @example isAudible({ muted: false, solo: false }, { parts: [{ muted: false, solo: true }], backings: [] }) // false
 */
export const isAudible = (thing: Sounding, song: Mixed): boolean => thing.solo || (!thing.muted && !anySolo(song));
