import { useFrames } from '~/drawing/useFrames';
import type { Ref } from 'vue';
import { useRoll } from '~/transport/roll';
import { placeOf, type ChartLayout, type ChartRow } from './chartLayout';

const WIDTH = 14;
/** Distance by which the playhead exceeds the row. */
const ABOVE = 10;
/** Smallest movement in pixels that is worth drawing. */
const STEP = 0.25;

/**
 * Moves the playhead as an element of its own, so that the chart is not painted again.
 * @param head element in the chart's paper
 * @param entered called when the playhead enters another row
 */
export function usePlayhead(
  head: Ref<SVGElement | null>,
  layout: Ref<ChartLayout>,
  entered: (row: ChartRow) => void,
): void {
  const roll = useRoll();
  let shownX = -1;
  let shownRow: ChartRow | undefined;
  useFrames(
    () => roll.moves,
    () => {
      const place = placeOf(layout.value, roll.tickNow());
      if (!head.value || !place) return;
      const { x, row } = place;
      if (row === shownRow && Math.abs(x - shownX) < STEP) return;
      if (row !== shownRow) {
        head.value.style.height = `${row.height + ABOVE}px`;
        entered(row);
      }
      shownX = x;
      shownRow = row;
      head.value.style.transform = `translate(${Math.round(x - WIDTH / 2)}px, ${row.y - ABOVE}px)`;
    },
  );
}
