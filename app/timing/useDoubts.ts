import { watchDebounced } from '@vueuse/core';
import { shallowRef, type ShallowRef } from 'vue';
import type { SongMaps } from '~~/core/document/maps';
import type { Part } from '~~/core/document/part';
import { decidedOf, untreatedLine } from '~~/core/song/reading';
import { doubtsOf, type Doubtful } from '~~/core/timing/doubts';
import type { Treatment } from '~~/core/timing/treatments';
import { shownFigures, type ShownFigure } from '~~/core/timing/shownFigures';
import type { TreatedReading } from '~~/core/timing/treatment';
import { useReading } from '~/song/reading';

/** Once the hand rests: how sure lines are takes longer to find than where they are. */
const RESTS_MS = 180;

interface Treated {
  readonly part: Part;
  readonly line: TreatedReading;
  readonly treatments: readonly Treatment[];
}

type Found<T> = ShallowRef<readonly T[]>;

/** Notes of a part that are longer to find than a frame lasts are told of only where their lines are known. */
const MOST_AT_ONCE = 1500;

/** Findings in a part's line, made once the hand rests and anew when what is heard of it has changed. */
function foundIn<T>(of: () => Treated | null, find: (now: Treated, maps: SongMaps) => readonly T[]): Found<T> {
  const reading = useReading();
  const all: Found<T> = shallowRef([]);
  const look = (): void => {
    const now = of();
    // Findings by lines wait for them.
    if (now && reading.unfound.has(now.part.id)) return;
    all.value = now && reading.maps ? find(now, reading.maps) : [];
  };
  watchDebounced(
    () => {
      const now = of();
      return [now?.part, now?.line, now?.treatments, reading.maps];
    },
    look,
    { debounce: RESTS_MS },
  );
  look();
  return all;
}

/** The notes of a part that need an ear. */
export function useDoubts(of: () => Treated | null): Found<Doubtful> {
  const { readTake } = useReading();
  return foundIn(of, ({ part, line, treatments }, maps) =>
    treatments.length > 0 ? doubtsOf(untreatedLine(part, readTake), line, treatments, maps, decidedOf(part)) : [],
  );
}

/** The rolls, trills and other figures of a part. */
export function useFigures(of: () => Treated | null): Found<ShownFigure> {
  const { readTake } = useReading();
  return foundIn(of, ({ part, treatments }, maps) =>
    shownFigures(untreatedLine(part, readTake), treatments, maps, decidedOf(part), MOST_AT_ONCE),
  );
}
