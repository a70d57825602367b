import { createPinia, setActivePinia } from 'pinia';
import { beforeEach, expect, it, vi } from 'vitest';
import { header } from '~~/core/testing/arbitraries';
import type { PassResult } from '~~/core/recording/state';
import type { Layer, LayerEvent, LayerHeader } from '~~/core/takes/layer';
import { useOpenLayers } from './openLayers';

const known = vi.hoisted(() => ({
  closedElsewhere: (_: string): void => {},
  /** Stored things in order: layers that were begun, fed and finished. */
  stored: [] as string[],
  commands: [] as unknown[],
  lookedBack: [] as unknown[],
  said: [] as string[],
}));
vi.mock('~/sync/sync', () => ({
  useSync: () => ({ followClosed: (told: (layer: string) => void) => (known.closedElsewhere = told) }),
}));
vi.mock('~/notices/notices', () => ({ useNotices: () => ({ say: (words: string) => known.said.push(words) }) }));
vi.mock('~/song/song', () => ({ useSong: () => ({ run: (command: unknown) => known.commands.push(command) }) }));
vi.mock('~/song/reading', () => ({ useReading: () => ({ shown: null }) }));
vi.mock('~/look-back/lookBack', () => ({
  useLookBack: () => ({ recorded: (result: unknown) => known.lookedBack.push(result) }),
}));
vi.mock('./pass', () => ({ usePass: () => ({ state: { laps: [] } }) }));
vi.mock('~/song/layers', () => {
  const name = (id: string): string => (id === 'layer' ? id : 'another');
  return {
    useLayers: () => ({
      begin: ({ id }: LayerHeader) => known.stored.push(`begin ${name(id)}`),
      keep: (id: string, { at }: LayerEvent) => known.stored.push(`keep ${at} in ${name(id)}`),
      finish: ({ header: { id }, events }: Layer) =>
        known.stored.push(`finish ${name(id)} with ${events.map((e) => e.at).join(' ')}`),
      goOn: (from: LayerHeader, to: LayerHeader, _: string, events: readonly LayerEvent[]) =>
        known.stored.push(`from ${name(from.id)} to ${name(to.id)} with ${events.map((e) => e.at).join(' ')}`),
    }),
  };
});

const own = header({ id: 'layer', partId: 'piano' });
const struck = (at: number): LayerEvent => ({ at, message: { type: 'noteOn', key: 60, velocity: 80 } });
const closing = { range: { from: 0, to: 3840 }, clears: [] };
const resultOf = (notes: number): PassResult =>
  ({ passId: 'pass', mode: 'new take', layers: [{ header: own, closing, notes, touched: false }] }) as PassResult;

beforeEach(() => {
  setActivePinia(createPinia());
  Object.assign(known, { stored: [], commands: [], lookedBack: [], said: [] });
});

it('a pass stores each event as it comes, and its take when it ends', () => {
  const layers = useOpenLayers();
  layers.open({ type: 'openLayer', header: own, mode: 'new take' });
  layers.keep({ type: 'keep', layerId: 'layer', event: struck(1) });
  layers.keep({ type: 'keep', layerId: 'layer', event: struck(2) });
  layers.close({ type: 'closeLayer', layerId: 'layer', closing });
  layers.recorded(resultOf(2));
  expect(known.stored).toEqual(['begin layer', 'keep 1 in layer', 'keep 2 in layer', 'finish layer with 1 2']);
  expect(known.commands).toEqual([expect.objectContaining({ type: 'record', result: resultOf(2) })]);
  expect(known.lookedBack).toHaveLength(1);
  // Events for a layer that is closed belong to nothing.
  layers.keep({ type: 'keep', layerId: 'layer', event: struck(3) });
  expect(known.stored).toHaveLength(4);
});

it('a layer that another browser has closed goes on in a new one, with everything, and so does its take', () => {
  const layers = useOpenLayers();
  layers.open({ type: 'openLayer', header: own, mode: 'new take' });
  layers.keep({ type: 'keep', layerId: 'layer', event: struck(1) });
  known.closedElsewhere('someone else’s');
  known.closedElsewhere('layer');
  layers.keep({ type: 'keep', layerId: 'layer', event: struck(2) });
  layers.close({ type: 'closeLayer', layerId: 'layer', closing });
  layers.recorded(resultOf(2));
  expect(known.stored.slice(2)).toEqual([
    'from layer to another with 1',
    'keep 2 in another',
    'finish another with 1 2',
  ]);
  const { result } = known.commands[0] as { result: PassResult };
  const [recorded] = result.layers;
  expect([recorded!.header.id === 'layer', recorded!.header.takeId === own.takeId]).toEqual([false, false]);
  expect(known.said).toEqual([expect.stringContaining('goes into a new one')]);
});

it('a pass says whether anything was played in it, each for itself', () => {
  const layers = useOpenLayers();
  layers.recorded(resultOf(0));
  expect(layers.finish()).toBe(false);
  layers.recorded(resultOf(1));
  layers.recorded(resultOf(0));
  expect([layers.finish(), layers.finish()]).toEqual([true, false]);
});
