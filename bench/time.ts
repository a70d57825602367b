import { seeded } from '../core/random';
import { secondsAt, tempoMap, tickAt, type TempoChange } from '../core/time/tempo';
import { under, type Figure } from './figure';

const HOURS = 2;
const CHANGES = 1000;

/** Round-trip error between ticks and seconds over two hours with a thousand changes of tempo. */
export function timeFigures(): Promise<Figure[]> {
  const random = seeded(17);
  const changes = Array.from({ length: CHANGES }, (_, i): TempoChange => ({
    tick: i * 13_824,
    bpm: 40 + random.unit() * 200,
    ramp: random.unit() < 0.5 ? 'linear' : 'jump',
  }));
  // About two hours at the mean tempo; measured to exactly two hours.
  const map = tempoMap(changes);
  const end = tickAt(map, HOURS * 3600);
  let worst = 0;
  for (let i = 0; i < 200_000; i += 1) {
    const tick = random.unit() * end;
    const seconds = secondsAt(map, tick);
    worst = Math.max(worst, Math.abs(secondsAt(map, tickAt(map, seconds)) - seconds));
  }
  return Promise.resolve([
    under('time', `tick to seconds and back, ${HOURS} h, ${CHANGES} changes, worst of 200,000`, worst, 's', 1e-6),
  ]);
}
