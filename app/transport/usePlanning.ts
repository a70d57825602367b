import { listenersOf } from '~~/core/recording/inputRoutes';
import type { PlanFacts } from '~~/core/recording/plan';
import type { Ticks } from '~~/core/time/units';
import { useOpenSong } from '~/song/openSong';
import { useKeyboards } from '~/keyboards/keyboards';
import { useLatency } from '~/sound/latency';
import { useOutside } from './outside';
import { usePass } from './pass';
import { useRoll } from './roll';

/** Facts from which a pass is planned, and obstacles to it. */
export function usePlanning() {
  const openSong = useOpenSong();
  const keyboards = useKeyboards();
  const latency = useLatency();
  const roll = useRoll();
  const pass = usePass();
  const outside = useOutside();

  /** @param start of a pass without an in */
  function facts(start: Ticks): PlanFacts {
    const listeners = listenersOf(openSong.document);
    const from = keyboards.active
      .filter((k) => listeners.some(({ route }) => route.keyboard === null || k.id === route.keyboard))
      .map((k) => keyboards.nameOf(k))
      .join(', ');
    return {
      song: openSong.document,
      maps: openSong.maps,
      listeners,
      start,
      from,
      latency: latency.figures(roll.outputNow()),
      newId: () => crypto.randomUUID(),
      at: new Date().toISOString(),
      sounds: outside.forPlan(pass.rolling),
    };
  }

  /** Reason why nothing can be recorded, with what to do; null where it can. */
  function obstacle(): string | null {
    if (listenersOf(openSong.document).length === 0) return 'No part is armed. Arm one in the brief, then record.';
    if (keyboards.active.length === 0) return 'No keyboard is on. Switch one on in the brief, then record.';
    return null;
  }

  return { facts, obstacle };
}
