import { defineStore } from 'pinia';
import { computed, ref, watch } from 'vue';
import {
  barOnPage,
  onlyPage,
  openPages,
  pageOfBar,
  type BarOnPage,
  type BarOrder,
  type OpenPages,
} from '~~/core/client/sheet';
import { NO_SHEET, type Sheet, type SheetPage } from '~~/core/document/sheet';
import { packNumbers } from '~~/core/performance/noteSet';
import { loopRange } from '~~/core/recording/plan';
import { barAt, barStart } from '~~/core/time/meter';
import { useReading } from '~/song/reading';
import { useSong } from '~/song/song';
import { usePass } from '~/transport/pass';
import { usePlace } from '~/transport/place';
import { useRoll } from '~/transport/roll';

/** All that is drawn of a sheet, as plain values: another window draws it as it is. */
export interface ShownSheet {
  /** Pages that lie open side by side; null for an empty side. */
  readonly pages: readonly (SheetPage | null)[];
  readonly systems: Sheet['systems'];
  readonly ink: Sheet['ink'];
  /** The bar that plays; null where no system says where it stands. */
  readonly mark: BarOnPage | null;
}

/** Share of a bar from which a click while music plays means the next one: the hand is late, not early. */
const NEXT_FROM = 0.75;

/** The client's sheet: what lies open while the song plays, and what is told and written on it. */
export const useSheet = defineStore('sheet', () => {
  const song = useSong();
  const reading = useReading();
  const pass = usePass();
  const roll = useRoll();
  const place = usePlace();
  /** The panel lies beside the station. */
  const panel = ref(false);

  const sheet = computed((): Sheet => song.document?.sheet ?? NO_SHEET);
  const bars = computed(() => song.document?.bars ?? 1);
  const bar = computed(() => Math.min(bars.value, place.now?.bar ?? 1));
  const order = computed((): BarOrder => {
    const { meter, end } = reading.maps ?? {};
    const brief = song.document?.brief;
    if (!brief?.loop || !meter || end === undefined) return { bars: bars.value, loop: null };
    const { from, to } = loopRange(brief, end);
    return { bars: bars.value, loop: { first: barAt(meter, from), last: barAt(meter, to - 1) } };
  });

  const open = ref<OpenPages>([null, null]);
  watch(
    [sheet, bar, order],
    () => {
      open.value = openPages(open.value, sheet.value, bar.value, order.value);
    },
    { immediate: true },
  );

  const pageOf = (id: string | null): SheetPage | null => sheet.value.pages.find((p) => p.id === id) ?? null;
  const mark = computed(() => barOnPage(sheet.value.systems, bar.value, bars.value));
  const shownOf = (pages: ShownSheet['pages']): ShownSheet => ({
    ...{ pages, systems: sheet.value.systems, ink: sheet.value.ink, mark: mark.value },
  });
  /** Two pages, for the stand; null of a song without a sheet. */
  const both = computed(() => (sheet.value.pages.length > 0 ? shownOf(open.value.map(pageOf)) : null));
  /** The one page that a narrow place has room for: of the bar that plays next, while anything plays. */
  const following = computed(() =>
    pass.rolling ? onlyPage(sheet.value, bar.value, order.value) : pageOfBar(sheet.value, bar.value, bars.value),
  );

  /** Tells that a system begins here: with the bar that plays, or the playhead's. */
  function tell(page: string, top: number): void {
    const { maps } = reading;
    if (!maps) return;
    const at = Math.min(maps.end - 1, Math.max(0, roll.tickNow()));
    const own = barAt(maps.meter, at);
    const [from, to] = [barStart(maps.meter, own), barStart(maps.meter, own + 1)];
    const late = pass.rolling && (at - from) / (to - from) >= NEXT_FROM && own < bars.value;
    song.run({ type: 'place system', system: { bar: late ? own + 1 : own, page, top } });
  }
  /** @param points x and y by turns, in whole parts of the page's width */
  function write(page: string, points: readonly number[]): void {
    const steps = points.map((at, i) => at - (points[i - 2] ?? 0));
    song.run({ type: 'write on sheet', stroke: { id: crypto.randomUUID(), page, points: packNumbers(steps) } });
  }
  const rubOut = (stroke: string): void => void song.run({ type: 'rub out', strokes: [stroke] });
  const forget = (of: number): void => void song.run({ type: 'take system out', bar: of });
  const takeOut = (pages: readonly string[]): void =>
    void song.run({ type: 'take sheet pages out', pages: [...pages] });

  return { panel, sheet, both, following, shownOf, pageOf, tell, write, rubOut, forget, takeOut };
});
