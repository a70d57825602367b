import { defineStore } from 'pinia';
import { computed, ref } from 'vue';
import { plainBrief, presetOf, presetsSchema, type NamedPreset, type Preset } from '~~/core/recording/presets';
import { ask, wordsOf } from '~/api/api';
import { useNotices } from '~/notices/notices';
import { useSong } from '~/song/song';

/** Presets of the brief: kept beside the songs, for all of them. */
export const usePresets = defineStore('presets', () => {
  const song = useSong();
  const notices = useNotices();
  const all = ref<readonly NamedPreset[]>([]);

  const isPlain = computed(() => {
    const brief = song.document?.brief;
    if (!brief) return true;
    const { punchIn, punchOut, ...rest } = plainBrief();
    return (
      JSON.stringify(presetOf(brief)) === JSON.stringify(presetOf({ ...brief, ...rest })) &&
      (brief.range === null || (brief.punchIn === punchIn && brief.punchOut === punchOut))
    );
  });

  async function load(): Promise<void> {
    const stored = await ask<unknown>('/api/presets').catch(() => null);
    if (stored) all.value = presetsSchema.parse(stored);
  }

  async function store(next: readonly NamedPreset[]): Promise<boolean> {
    const before = all.value;
    all.value = next;
    return ask('/api/presets', next, 'PUT').then(
      () => true,
      (error: unknown) => {
        all.value = before;
        notices.say(`The preset was not kept: ${wordsOf(error)} The brief is as it was.`);
        return false;
      },
    );
  }

  /** A name that is there already gets the new settings. */
  const keep = (name: string, brief: Preset): Promise<boolean> =>
    store(
      [...all.value.filter((p) => p.name !== name.trim()), { name: name.trim(), brief }].sort((a, b) =>
        a.name.localeCompare(b.name),
      ),
    );
  const forget = (name: string): Promise<boolean> => store(all.value.filter((p) => p.name !== name));
  const recall = (preset: NamedPreset): void => song.run({ type: 'set brief', brief: preset.brief });
  const plain = (): void => {
    if (song.document) song.run({ type: 'set brief', brief: plainBrief() });
  };

  return { all, isPlain, load, keep, forget, recall, plain };
});
