import { many } from '~~/core/vocabulary/many';
import { copyRange, type CopiedRange, type Copying } from '~~/core/editing/ranges';
import type { Part } from '~~/core/document/part';
import { barStart } from '~~/core/time/meter';
import type { TickRange, Ticks } from '~~/core/time/units';
import { useLayers } from './layers';
import { useOpenSong } from './openSong';
import { useReading } from './reading';
import { useSong } from './song';

export const BAR_ACTS = ['copy', 'move', 'repeat', 'swap', 'clear'] as const;
export type BarAct = (typeof BAR_ACTS)[number];

/** Request to copy, move, repeat, swap or clear bars; both ends are included and counted from 1. */
export interface BarsAsked {
  readonly act: BarAct;
  readonly first: number;
  readonly last: number;
  /** Bar that they are copied or moved to, or the last bar up to which they are repeated. */
  readonly to: number;
  /** Parts whose bars they are. */
  readonly parts: readonly Part[];
  /** Part that receives the bars; null where each part keeps its own. */
  readonly into: Part | null;
}

/** Copies, moves, repeats, swaps and clears bars. */
export function useBarActs() {
  const song = useSong();
  const openSong = useOpenSong();
  const reading = useReading();
  const layers = useLayers();

  const barsAt = (first: number, last: number): TickRange => {
    const { meter } = openSong.maps;
    return { from: barStart(meter, first), to: barStart(meter, last + 1) };
  };

  /** Reason why a request cannot be carried out; empty where it can. */
  function trouble({ act, first, last, to, parts }: BarsAsked): string {
    const bars = openSong.document.bars;
    if (first < 1 || last < first || last > bars) return `Bars go from 1 to ${bars}, the first before the last.`;
    if (parts.length === 0) return 'There is no part to take them from.';
    if (act === 'clear') return '';
    if (to < 1 || to > bars) return `That is not in the song, which has ${many(bars, 'bar')}.`;
    if (act === 'repeat') return to > last ? '' : 'They are repeated through a bar behind them.';
    if (act !== 'swap') return '';
    const [a, b] = [barsAt(first, last), barsAt(to, to + last - first)];
    if (to + last - first > bars) return 'There are not as many bars left to swap with.';
    if (a.from < b.to && b.from < a.to) return 'Bars cannot be swapped with themselves.';
    return a.to - a.from === b.to - b.from ? '' : 'Bars are swapped with as many of the same meter.';
  }

  function places({ act, first, last, to }: BarsAsked): { readonly places: Ticks[]; readonly until?: Ticks } {
    const range = barsAt(first, last);
    if (act !== 'repeat') return { places: [barsAt(to, to).from] };
    const until = barsAt(to, to).to;
    const made: Ticks[] = [];
    for (let at = range.to; at < until; at += range.to - range.from) made.push(at);
    return { places: made, until };
  }

  function carryOut(asked: BarsAsked): void {
    const opened = song.document;
    if (!opened || trouble(asked)) return;
    const { act, first, last, to, parts, into } = asked;
    const range = barsAt(first, last);
    const at = new Date().toISOString();
    const made = { newId: () => crypto.randomUUID(), at };
    const takes: CopiedRange[] = [];
    const cleared: { part: string; range: TickRange }[] = [];
    const put = (copying: Copying): void => {
      const copy = copyRange(copying, opened, reading.reader, openSong.maps, made);
      if (!copy) return;
      layers.store(copy.layers.map((layer) => ({ layer, mode: 'new take' })));
      takes.push(copy.copied);
    };
    for (const part of parts) {
      if (act === 'clear' || act === 'move') cleared.push({ part: part.id, range });
      if (act === 'clear') continue;
      put({ from: part, range, to: into ?? part, ...places(asked) });
      if (act === 'swap') {
        const other = barsAt(to, to + last - first);
        put({ from: part, range: other, to: part, places: [range.from] });
      }
    }
    const bars = first === last ? `bar ${first}` : `bars ${first}–${last}`;
    const WORDS = { copy: 'copying', move: 'moving', repeat: 'repeating', swap: 'swapping', clear: 'clearing' };
    song.run({ type: 'put stretches', what: `${WORDS[act]} ${bars}`, takes, cleared });
  }

  return { trouble, carryOut, places };
}
