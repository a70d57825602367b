import { watchDebounced } from '@vueuse/core';
import { shallowRef, type ShallowRef } from 'vue';
import type { SongMaps } from '~~/core/document/maps';
import type { Part } from '~~/core/document/part';
import { decidedOf, untreatedLine } from '~~/core/reading/reading';
import { doubtsOf, type Doubtful } from '~~/core/timing/doubts';
import type { Treatment } from '~~/core/timing/treatments';
import { shownFigures, type ShownFigure } from '~~/core/timing/shownFigures';
import type { TreatedReading } from '~~/core/timing/treatment';
import { useReading } from '~/song/reading';

/** Delay after the last change: finding how sure lines are takes longer than finding them. */
const RESTS_MS = 180;

interface Treated {
  readonly part: Part;
  readonly line: TreatedReading;
  readonly treatments: readonly Treatment[];
}

type Found<T> = ShallowRef<readonly T[]>;

/** Number of notes above which only known grid lines are used, as finding them takes longer than a frame. */
const MOST_AT_ONCE = 1500;

/** Findings in a part's line, computed after a pause and again when the line has changed. */
function foundIn<T>(of: () => Treated | null, find: (now: Treated, maps: SongMaps) => readonly T[]): Found<T> {
  const reading = useReading();
  const all: Found<T> = shallowRef([]);
  const look = (): void => {
    const now = of();
    // Grid lines that are being found are waited for.
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

/** Notes of a part that belong in Your ear. */
export function useDoubts(of: () => Treated | null): Found<Doubtful> {
  const { readTake } = useReading();
  return foundIn(of, ({ part, line, treatments }, maps) =>
    treatments.length > 0 ? doubtsOf(untreatedLine(part, readTake), line, treatments, maps, decidedOf(part)) : [],
  );
}

/** Figures of a part: rolls, trills and the like. */
export function useFigures(of: () => Treated | null): Found<ShownFigure> {
  const { readTake } = useReading();
  return foundIn(of, ({ part, treatments }, maps) =>
    shownFigures(untreatedLine(part, readTake), treatments, maps, decidedOf(part), MOST_AT_ONCE),
  );
}
