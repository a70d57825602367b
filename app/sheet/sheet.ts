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

/** Facts that the sheet shows. Values are plain, so that they can be sent to another window. */
export interface ShownSheet {
  /** Pages shown side by side; null for an empty side. */
  readonly pages: readonly (SheetPage | null)[];
  readonly systems: Sheet['systems'];
  readonly ink: Sheet['ink'];
  /** Place of the bar that plays; null where no system gives it. */
  readonly mark: BarOnPage | null;
}

/** Share of a bar after which a click during playback means the next bar, as hands are late rather than early. */
const NEXT_FROM = 0.75;

/** Client's sheet: the pages that are open, bars located on them, and marks. */
export const useSheet = defineStore('sheet', () => {
  const song = useSong();
  const reading = useReading();
  const pass = usePass();
  const roll = useRoll();
  const place = usePlace();
  /** True while the panel is open. */
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
  /** Two pages, for the stand; null for a song without a sheet. */
  const both = computed(() => (sheet.value.pages.length > 0 ? shownOf(open.value.map(pageOf)) : null));
  /** Single page for narrow places, the one of the next bar while the song plays. */
  const following = computed(() =>
    pass.rolling ? onlyPage(sheet.value, bar.value, order.value) : pageOfBar(sheet.value, bar.value, bars.value),
  );

  /** Locates a system at a height of a page, beginning with the bar that plays or the playhead's. */
  function tell(page: string, top: number): void {
    const { maps } = reading;
    if (!maps) return;
    const at = Math.min(maps.end - 1, Math.max(0, roll.tickNow()));
    const own = barAt(maps.meter, at);
    const [from, to] = [barStart(maps.meter, own), barStart(maps.meter, own + 1)];
    const late = pass.rolling && (at - from) / (to - from) >= NEXT_FROM && own < bars.value;
    song.run({ type: 'place system', system: { bar: late ? own + 1 : own, page, top } });
  }
  /** @param points x and y in turn, in thousandths of the page's width */
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
