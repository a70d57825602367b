import { defineStore } from 'pinia';
import { computed, ref, shallowRef, watch } from 'vue';
import type { Note } from '~~/core/performance/notes';
import { barAt, barStart } from '~~/core/time/meter';
import type { TickRange, Ticks } from '~~/core/time/units';
import { keyRangeOf, type KeyRange } from '~/chart/chartDrawing';
import { useOpenSong } from '~/song/openSong';
import { useReading } from '~/song/reading';

const BARS_AT_FIRST = 4;
/** Shortest range and fewest keys that the roll shows. */
const SHORTEST: Ticks = 240;
const FEWEST_KEYS = 8;
/** Number of keys shown above and below the notes. */
const AIR = 2;

/** Range and keys that the roll shows. */
export const useRollView = defineStore('roll view', () => {
  const reading = useReading();
  const openSong = useOpenSong();
  const wanted = shallowRef<TickRange | null>(null);
  const wantedKeys = shallowRef<KeyRange | null>(null);
  /** True while the view turns pages with the playhead. */
  const follows = ref(true);

  const range = computed((): TickRange => {
    const { meter } = openSong.maps;
    return wanted.value ?? { from: 0, to: barStart(meter, 1 + BARS_AT_FIRST) };
  });

  function show({ from, to }: TickRange): void {
    const end = openSong.maps.end;
    const length = Math.min(Math.max(SHORTEST, to - from), end + SHORTEST);
    const start = Math.min(Math.max(from, -SHORTEST / 4), Math.max(0, end - length + SHORTEST));
    wanted.value = { from: start, to: start + length };
  }
  /** @param factor below 1 zooms in @param at tick that keeps its place */
  function zoom(factor: number, at: Ticks = (range.value.from + range.value.to) / 2): void {
    const { from, to } = range.value;
    show({ from: at - (at - from) * factor, to: at + (to - at) * factor });
  }
  const scroll = (by: Ticks): void => show({ from: range.value.from + by, to: range.value.to + by });

  /** Keys that are shown: those that were zoomed to, otherwise all that have notes. */
  const keysOf = (notes: readonly Note[]): KeyRange => {
    if (wantedKeys.value) return wantedKeys.value;
    const { low, high } = keyRangeOf(notes);
    return { low: Math.max(0, low - AIR), high: Math.min(127, high + AIR) };
  };
  function showKeys({ low, high }: KeyRange): void {
    const many = Math.min(128, Math.max(FEWEST_KEYS, Math.round(high - low + 1)));
    const from = Math.min(Math.max(0, Math.round(low)), 128 - many);
    wantedKeys.value = { low: from, high: from + many - 1 };
  }
  function zoomKeys(factor: number, keys: KeyRange, at = (keys.low + keys.high) / 2): void {
    showKeys({ low: at - (at - keys.low) * factor, high: at + (keys.high - at) * factor });
  }
  const scrollKeys = (by: number, { low, high }: KeyRange): void => showKeys({ low: low + by, high: high + by });

  /** Zooms to some notes with a margin; to everything where there are none. */
  function showNotes(notes: readonly Note[]): void {
    if (notes.length === 0) {
      show({ from: 0, to: openSong.maps.end });
      wantedKeys.value = null;
      return;
    }
    const from = Math.min(...notes.map((n) => n.start));
    const to = Math.max(...notes.map((n) => n.end));
    const air = Math.max(SHORTEST, (to - from) * 0.1);
    show({ from: from - air, to: to + air });
    const { low, high } = keyRangeOf(notes);
    showKeys({ low: low - AIR, high: high + AIR });
  }

  /** Shows the bars around a place, as many as are in view. */
  function turnTo(at: Ticks): void {
    const { from, to } = range.value;
    if (at >= from && at < to) return;
    const { meter } = openSong.maps;
    const bars = Math.max(1, barAt(meter, to - 1) - barAt(meter, from) + 1);
    const whole = from === barStart(meter, barAt(meter, from));
    const first = Math.floor((Math.max(1, barAt(meter, at)) - 1) / bars) * bars + 1;
    if (whole) show({ from: barStart(meter, first), to: barStart(meter, first) + to - from });
    else show({ from: at - (to - from) * 0.1, to: at + (to - from) * 0.9 });
  }

  watch(
    () => reading.shown?.id,
    () => (wantedKeys.value = null),
  );
  watch(
    () => reading.maps,
    (now) => {
      if (!now) wanted.value = null;
    },
  );
  return { range, follows, show, zoom, scroll, keysOf, showKeys, zoomKeys, scrollKeys, showNotes, turnTo };
});
