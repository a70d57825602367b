import { watchDebounced } from '@vueuse/core';
import { shallowRef, type ShallowRef } from 'vue';
import type { Part } from '~~/core/document/part';
import { decidedOf, untreatedLine } from '~~/core/song/reading';
import { doubtsOf, type Doubtful } from '~~/core/timing/doubts';
import type { Treatment } from '~~/core/timing/laying';
import type { TreatedReading } from '~~/core/timing/treatment';
import { useReading } from '~/song/reading';

/** Once the hand rests: how sure lines are takes longer to find than where they are. */
const RESTS_MS = 180;

interface Treated {
  readonly part: Part;
  readonly line: TreatedReading;
  readonly treatments: readonly Treatment[];
}

/** The notes of a part that need an ear, found anew when what is heard of it has changed. */
export function useDoubts(of: () => Treated | null): ShallowRef<readonly Doubtful[]> {
  const reading = useReading();
  const all = shallowRef<readonly Doubtful[]>([]);
  const find = (): void => {
    const now = of();
    const { maps } = reading;
    all.value =
      now && maps && now.treatments.length > 0
        ? doubtsOf(untreatedLine(now.part, reading.readTake), now.line, now.treatments, maps, decidedOf(now.part))
        : [];
  };
  watchDebounced(
    () => {
      const now = of();
      return [now?.part, now?.line, now?.treatments, reading.maps];
    },
    find,
    { debounce: RESTS_MS },
  );
  find();
  return all;
}
