import { useRafFn } from '@vueuse/core';
import Konva from 'konva';
import type { Ref } from 'vue';
import { TOKENS } from '~/drawing/inks';
import { useKonva } from '~/drawing/useKonva';
import { useRoll } from '~/transport/roll';
import { placeOf, type ChartLayout, type ChartRow } from './chartLayout';

const WIDTH = 14;
/** How far the head stands out of the row. */
const ABOVE = 10;
/** Less than this is not seen. */
const STEP = 0.25;

/**
 * The playhead is a small picture of its own that is moved: the chart under it is not painted again.
 * @param host the element that is moved, in the chart's paper
 * @param entered told when it comes to another row
 */
export function usePlayhead(
  host: Ref<HTMLDivElement | null>,
  layout: Ref<ChartLayout>,
  entered: (row: ChartRow) => void,
): void {
  const roll = useRoll();
  let line: Konva.Rect | undefined;
  const canvas = useKonva(host, 1, ({ stage, layers: [layer] }) => {
    line = new Konva.Rect({ x: WIDTH / 2 - 1, y: ABOVE, width: 2, fill: TOKENS.copper });
    const head = { sides: 3, radius: 6, rotation: 180, fill: TOKENS.copper, x: WIDTH / 2, y: 6 };
    layer!.add(new Konva.RegularPolygon(head), line);
    stage.size({ width: WIDTH, height: ABOVE });
  });

  let shownX = -1;
  let shownRow: ChartRow | undefined;
  useRafFn(() => {
    const place = placeOf(layout.value, roll.tickNow());
    if (!canvas.value || !place) return;
    const { x, row } = place;
    if (row === shownRow && Math.abs(x - shownX) < STEP) return;
    if (row !== shownRow) {
      line!.height(row.height);
      canvas.value.stage.size({ width: WIDTH, height: row.height + ABOVE });
      entered(row);
    }
    shownX = x;
    shownRow = row;
    host.value!.style.transform = `translate(${Math.round(x - WIDTH / 2)}px, ${row.y - ABOVE}px)`;
  });
}
