import { defineStore } from 'pinia';
import { computed, ref } from 'vue';
import {
  changedSince,
  setupFiguresSchema,
  setupOf,
  type LatencyFigure,
  type SetupFigures,
} from '~~/core/placement/figures';
import type { Latency } from '~~/core/placement/place';
import type { Seconds } from '~~/core/time/units';
import { wordsOf } from '~/api/api';
import { askInTurn } from '~/api/inTurn';
import { useNotices } from '~/notices/notices';
import { askRemembered } from '~/notices/remembered';
import { useSound } from './sound';

/** Latencies: values measured or typed for this set-up of devices, and those that the system reports. */
export const useLatency = defineStore('latency', () => {
  const sound = useSound();
  const notices = useNotices();
  const all = ref<Readonly<Record<string, SetupFigures>>>({});
  /** Output latency that the system reported last. */
  const reported = ref<Seconds>(0);

  const setup = computed(() => {
    const context = sound.engine?.context;
    return context ? setupOf(context.sampleRate, context.baseLatency, 'default output') : null;
  });
  const known = computed((): SetupFigures | undefined => (setup.value ? all.value[setup.value.id] : undefined));
  /** Measured set-up that differs from the current one; null where there is none. */
  const changed = computed(() => (setup.value ? changedSince(all.value, setup.value.id) : undefined));

  async function load(): Promise<void> {
    const known = await askRemembered('/api/latency', (value) => setupFiguresSchema.safeParse(value).data, {
      about: 'latency remembered',
      away: (why) => `The latency that was measured is not here yet: ${why} Until it is, what the system says is used.`,
      lost: () =>
        'A latency that was measured cannot be read, and was left as it is. Measure it once more, in Line check.',
    });
    if (known) all.value = known;
  }

  const look = (): void => {
    reported.value = sound.engine?.clock.reportedLatency ?? 0;
  };

  /** Latencies used for placement: those known for this set-up, otherwise the system's output latency. */
  const figures = (system: Seconds): Latency => ({
    output: Math.max(0, known.value?.output?.seconds ?? system),
    input: known.value?.input?.seconds ?? 0,
    ...(known.value?.output ? { measured: true } : {}),
  });

  /** Stores a value for this set-up, or deletes it. */
  async function keep(which: 'output' | 'input', figure: LatencyFigure | null): Promise<void> {
    const now = setup.value;
    if (!now) return;
    const next: SetupFigures = {
      words: now.words,
      output: known.value?.output ?? null,
      input: known.value?.input ?? null,
      [which]: figure,
    };
    all.value = { ...all.value, [now.id]: next };
    await askInTurn(`/api/latency/${encodeURIComponent(now.id)}`, next).catch((error) =>
      notices.say(`The figure holds for this visit only: ${wordsOf(error)}`),
    );
  }

  return { setup, known, changed, reported, load, look, figures, keep };
});
