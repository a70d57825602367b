import { shallowRef, watch, type ComputedRef } from 'vue';
import type { Part } from '~~/core/document/part';
import type { Note } from '~~/core/performance/notes';
import type { Milliseconds } from '~~/core/time/units';

const SHOWN_FOR: Milliseconds = 6000;
const placeOfNote = ({ id, start, end }: Note): string => `${id} ${start} ${end}`;

/** Notes that the last change moved, removed or added in a part's line, for a short while. */
export function useRecentChange(part: ComputedRef<Part | undefined>, line: ComputedRef<readonly Note[]>) {
  const gone = shallowRef<readonly Note[]>([]);
  const come = shallowRef<readonly Note[]>([]);
  let fading: ReturnType<typeof setTimeout> | undefined;
  const forget = (): void => {
    gone.value = come.value = [];
  };

  const placement = () => part.value?.placement;
  const takes = () => part.value?.takes;
  const comp = () => part.value?.comp;
  watch([() => part.value?.id, placement, takes, comp, line], (now, before) => {
    const [id, placed, nowTakes, nowComp, notes] = now;
    const [oldId, oldPlaced, oldTakes, oldComp, old] = before;
    if (id !== oldId) {
      forget();
      return;
    }
    const moved = placed?.policy !== oldPlaced?.policy || placed?.nudge !== oldPlaced?.nudge;
    if (notes === old || !(moved || nowTakes !== oldTakes || nowComp !== oldComp)) return;
    const had = new Set(old.map(placeOfNote));
    const has = new Set(notes.map(placeOfNote));
    gone.value = old.filter((n) => !has.has(placeOfNote(n)));
    come.value = moved ? [] : notes.filter((n) => !had.has(placeOfNote(n)));
    clearTimeout(fading);
    fading = setTimeout(forget, SHOWN_FOR);
  });

  return { gone, come };
}
