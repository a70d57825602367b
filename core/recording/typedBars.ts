import { barStart, meterAt, tickOf, type MeterMap } from '../time/meter';
import type { TickRange, Ticks } from '../time/units';

/** Pattern of a bar, or a beat in it: "17", "17.3", "17·3", "17:3". */
const PLACE = String.raw`(\d{1,4})(?:[.·:](\d{1,2}))?`;
const ONE = new RegExp(`^\\s*${PLACE}\\s*$`);
/** Pattern of two places with a space or dash between them. */
const TWO = new RegExp(`^\\s*${PLACE}(?:\\s*[-–]\\s*|\\s+)${PLACE}\\s*$`);

/**
 * Place that was typed.
 * @param which a bar alone is its start as an in, and its end as an out
 * @param bars length of the song; the bar after the last can be an in
 * @returns null for text that names no place in the song
 */
function placeOf(
  meter: MeterMap,
  bars: number,
  which: 'from' | 'to',
  [barText, beatText]: readonly (string | undefined)[],
): Ticks | null {
  const [bar, beat] = [Number(barText), beatText === undefined ? null : Number(beatText)];
  if (!(bar >= 1 && bar <= bars + 1) || beat === 0) return null;
  if ((beat ?? 1) > meterAt(meter, barStart(meter, bar)).beats) return null;
  if (which === 'to' && beat === null) return barStart(meter, bar + 1);
  return tickOf(meter, { bar, beat: beat ?? 1, tick: 0 });
}

/**
 * Place that was typed, as an in or as an out.
 * @returns null for other text
 * @example typedPlace(meterMap([{ bar: 1, beats: 4, unit: 4 }]), 8, 'to', '2') // 7680
 */
export function typedPlace(meter: MeterMap, bars: number, which: 'from' | 'to', text: string): Ticks | null {
  const found = ONE.exec(text);
  return found && placeOf(meter, bars, which, found.slice(1));
}

/**
 * Bars that were typed: "9 10" and "9–10" are bars 9 and 10, "9" is that bar, "9.3 10.2" goes from beat to beat.
 * @returns null for text that names no bars of the song
 * @example typedBars(meterMap([{ bar: 1, beats: 4, unit: 4 }]), 8, '2 3') // { from: 3840, to: 11520 }
 */
export function typedBars(meter: MeterMap, bars: number, text: string): TickRange | null {
  const two = TWO.exec(text);
  const from = two ? placeOf(meter, bars, 'from', two.slice(1, 3)) : typedPlace(meter, bars, 'from', text);
  const to = two ? placeOf(meter, bars, 'to', two.slice(3, 5)) : typedPlace(meter, bars, 'to', text);
  return from !== null && to !== null && to > from && from < barStart(meter, bars + 1) ? { from, to } : null;
}
